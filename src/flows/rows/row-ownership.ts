import type { Engine } from "../../io/engines/engine.ts";
import { untouched } from "../../io/engines/staged-loading.ts";

/**
 * Whose a row is. Each row has exactly one owner: seeding made it and nobody changed it since; a file or the model
 * has it as it is; or a person entered or changed it.
 */
export type RowOwner = "sample" | "loaded" | "user";

/** For each owner, the condition that a row of a table is theirs; statements call the rows `alias`. */
export async function rowOwners(
  engine: Engine,
  table: string,
  alias = "t",
): Promise<Record<RowOwner, string>> {
  const sample = (await engine.hasTable("levadura_seeded"))
    ? `(${alias}.version = 1 and exists (select 1 from levadura_seeded s where s.entity_table = ${engine.dialect.literal(table)} and ${alias}.id between s.first_id and s.last_id))`
    : "(1 = 0)";
  const written = (await engine.hasTable("levadura_loads")) ? untouched(alias) : "(1 = 0)";
  return {
    sample,
    loaded: `(not ${sample} and ${written})`,
    user: `(not ${sample} and not ${written})`,
  };
}

/** How many rows of a table each owner has. */
export async function countOwners(
  engine: Engine,
  table: string,
): Promise<Record<RowOwner, number>> {
  const owners = await rowOwners(engine, table);
  const name = engine.dialect.quoted(table);
  const of = (owner: RowOwner) =>
    engine.count(`select 1 as one from ${name} t where ${owners[owner]}`);
  return { sample: await of("sample"), loaded: await of("loaded"), user: await of("user") };
}

/** How many sample rows were made for a table, gone ones included. */
export async function samplesMade(engine: Engine, table: string): Promise<number> {
  if (!(await engine.hasTable("levadura_seeded"))) return 0;
  const [found] = await engine.migrations.rows<{ made: unknown }>(
    `select sum(last_id - first_id + 1) as made from levadura_seeded where entity_table = ${engine.dialect.literal(table)}`,
  );
  return Number(found?.made ?? 0);
}
