import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import type { Entity, RowRule } from "../entity/entity.ts";
import { typeOf } from "../fields/types.ts";

/** The rules that a record violates, as it is in its table. They hold for all rows, whoever saves one. */
export async function brokenRowRules(
  asking: Scope,
  entity: Entity,
  id: number,
): Promise<RowRule[]> {
  const { table, rowRules } = entity;
  if (rowRules.length === 0) return [];
  const scope = asking.seeingAll();
  const asked = rowRules.map(({ holds }, at) => sql`${holds(scope)} as ${sql.ref(`c${at}`)}`);
  const { rows } = await sql<Record<string, unknown>>`
    select ${sql.join(asked)} from ${scope.rowsOf(entity)} as ${sql.table(table)}
    where ${sql.ref(`${table}.id`)} = ${id}`.execute(scope.db);
  const [found] = rows;
  return rowRules.filter((_, at) => found && !found[`c${at}`]);
}

/** The sentences of broken rules, by input. */
export function errorsOf(
  scope: Scope,
  entity: Entity,
  rowRules: readonly RowRule[],
): Map<string, string> {
  const errors = new Map<string, string>();
  for (const rule of rowRules) {
    // Where the person doesn't see the field, the sentence stands above the form.
    const about = rule.sentence && scope.isHidden(entity, rule.about) ? "" : rule.about;
    errors.set(
      about,
      [errors.get(about), messageOf(scope, entity, rule)].filter(Boolean).join(" "),
    );
  }
  return errors;
}

/** What a rule says where it is violated. */
export function messageOf(
  scope: Scope,
  entity: Entity,
  { sentence, about, offers }: Pick<RowRule, "sentence" | "about" | "offers">,
): string {
  if (sentence !== undefined) return scope.translated(sentence);
  if (offers) return scope.messages.chooseOffered;
  const field = entity.inputs[about];
  return field ? typeOf(field).blank(scope.messages) : scope.messages.valuesRefused;
}
