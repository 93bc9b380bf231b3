import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import {
  type FormState,
  isBlankTyped,
  rightValues,
  type Typed,
  type Values,
  writtenValues,
} from "../entity/typed.ts";
import type { TypedFormula } from "../fields/field.ts";

/** What a form shows and needs by what is typed in it, in one statement. */
export async function stateOf(
  scope: Scope,
  { conditionalFields: { shown = {}, needed = {} } }: Entity,
  values: Values,
): Promise<FormState> {
  const asked = [...Object.values(shown), ...Object.values(needed)];
  const answers = (await computed(scope, asked, values)).map(Boolean);
  const among = (names: string[], from: number) =>
    Object.fromEntries(names.map((name, at) => [name, answers[from + at] ?? false]));
  const first = Object.keys(shown);
  return { shown: among(first, 0), needed: among(Object.keys(needed), first.length) };
}

/** Fills in what is blank, one formula after the other, as each may use the ones before. */
export async function fillIn(
  scope: Scope,
  entity: Entity,
  formulas: Readonly<Record<string, TypedFormula>> = {},
  typed: Typed,
): Promise<Typed> {
  const filled = new Map(typed);
  for (const [name, formula] of Object.entries(formulas)) {
    if (!isBlankTyped(filled.get(name))) continue;
    const [value] = await computed(scope, [formula], rightValues(entity, filled, scope));
    for (const [, texts] of writtenValues(entity, { [name]: value }, scope)) {
      filled.set(name, texts);
    }
  }
  return filled;
}

async function computed(
  scope: Scope,
  formulas: readonly TypedFormula[],
  values: Values,
): Promise<unknown[]> {
  if (formulas.length === 0) return [];
  const columns = formulas.map(
    (formula, at) => sql`${formula(values, scope)} as ${sql.ref(`c${at}`)}`,
  );
  const { rows } = await sql<Record<string, unknown>>`select ${sql.join(columns)}`.execute(
    scope.db,
  );
  return formulas.map((_, at) => rows[0]?.[`c${at}`]);
}
