import { type Kysely, type RawBuilder, sql } from "kysely";
import { type InputType, rightValues, writtenValues } from "./forms.ts";

/** A formula of what is typed in a form, in SQL. */
export type Formula<Values> = (values: Partial<Values>) => RawBuilder<unknown>;

/** Which fields a form shows, needs or fills in, by what is typed in it. */
export interface ConditionalFields<Values> {
  /** When it asks for some of its fields. */
  shown?: Readonly<Record<string, Formula<Values>>>;
  /** When some of its fields have to be filled in. */
  needed?: Readonly<Record<string, Formula<Values>>>;
  /** What fields of a new form start with, which looks at nothing that is typed. */
  starts?: Readonly<Record<string, Formula<Values>>>;
  /** What fields get that are left blank in a new record, each behind those that it looks at. */
  blank?: Readonly<Record<string, Formula<Values>>>;
}

/** Which fields a form shows and needs, of those for which that depends. */
export interface FormState {
  shown: Readonly<Record<string, boolean>>;
  needed: Readonly<Record<string, boolean>>;
}

/** What a form shows and needs by what is typed in it, in one statement. */
export async function stateOf<Tables, Values>(
  db: Kysely<Tables>,
  { shown = {}, needed = {} }: ConditionalFields<Values>,
  values: Partial<Values>,
): Promise<FormState> {
  const asked = [...Object.values(shown), ...Object.values(needed)];
  const answers = (await computed(db, asked, values)).map(Boolean);
  const among = (names: string[], from: number) =>
    Object.fromEntries(names.map((name, at) => [name, answers[from + at] ?? false]));
  const first = Object.keys(shown);
  return { shown: among(first, 0), needed: among(Object.keys(needed), first.length) };
}

/** Fills in what is blank, one formula after the other, as each may use the ones before; texts as in a form. */
export async function fillIn<Tables, Input extends InputType>(
  db: Kysely<Tables>,
  input: Input,
  formulas: Readonly<Record<string, Formula<never>>> = {},
  values: ReadonlyMap<string, readonly string[]>,
): Promise<ReadonlyMap<string, readonly string[]>> {
  const filled = new Map(values);
  for (const [name, formula] of Object.entries(formulas)) {
    if (filled.get(name)?.some((typed) => typed.trim() !== "")) continue;
    const [value] = await computed(db, [formula], rightValues(input, filled) as never);
    for (const [, texts] of writtenValues(input, { [name]: value })) filled.set(name, texts);
  }
  return filled;
}

async function computed<Tables, Values>(
  db: Kysely<Tables>,
  formulas: readonly Formula<Values>[],
  values: Partial<Values>,
): Promise<unknown[]> {
  if (formulas.length === 0) return [];
  const columns = formulas.map((formula, at) => sql`${formula(values)} as ${sql.ref(`c${at}`)}`);
  const { rows } = await sql<Record<string, unknown>>`select ${sql.join(columns)}`.execute(db);
  return formulas.map((_, at) => rows[0]?.[`c${at}`]);
}
