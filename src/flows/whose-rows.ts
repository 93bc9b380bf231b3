import type { Engine } from "../io/engines/engine.ts";
import { untouched } from "../io/engines/staged-loading.ts";

/** Conditions on rows of a table: who made them. */
export interface WhoseRows {
  /** Made by seeding, and nobody changed them since. */
  sample: string;
  /** Neither that, nor as a data file or the model has them. */
  own: string;
  /** Made by a person, or changed by one. */
  notSample: string;
}

/** What tells whose the rows of a table are, which statements call `alias`. */
export async function whoseRows(engine: Engine, table: string, alias = "t"): Promise<WhoseRows> {
  const sample = (await engine.hasTable("levadura_seeded"))
    ? `(${alias}.version = 1 and exists (select 1 from levadura_seeded s where s.entity_table = ${engine.dialect.literal(table)} and ${alias}.id between s.first_id and s.last_id))`
    : "(1 = 0)";
  const loaded = (await engine.hasTable("levadura_loads")) ? untouched(alias) : "(1 = 0)";
  return { sample, own: `(not ${sample} and not ${loaded})`, notSample: `(not ${sample})` };
}

/** How many sample rows were made for a table, gone ones included. */
export async function samplesMade(engine: Engine, table: string): Promise<number> {
  if (!(await engine.hasTable("levadura_seeded"))) return 0;
  const [found] = await engine.migrations.rows<{ made: unknown }>(
    `select sum(last_id - first_id + 1) as made from levadura_seeded where entity_table = ${engine.dialect.literal(table)}`,
  );
  return Number(found?.made ?? 0);
}
