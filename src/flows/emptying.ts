import { join } from "node:path";
import { writeKept } from "../../kit/database/keeping.ts";
import { Failure } from "../core/failure.ts";
import { type Entity, isMany, isReference, type Model } from "../core/model/model.ts";
import { columnOf, inOrder, linkOf, tableOf } from "../core/schema/from-model.ts";
import type { Engine } from "../io/engines/engine.ts";
import type { Project } from "../io/project/project.ts";
import { whoseRows } from "./whose-rows.ts";

/** What emptying would take away of an entity. */
export interface Emptying {
  entity: Entity;
  /** Sample rows that nobody changed. */
  samples: number;
  /** Rows that people made or changed; they go only where the entity is named. */
  own: number;
  /** The first of their numbers. */
  ownNumbers: number[];
}

/** What emptying some entities would take away. */
export async function emptyingOf(
  engine: Engine,
  model: Model,
  names: readonly string[],
): Promise<Emptying[]> {
  const found: Emptying[] = [];
  for (const entity of model.entities.filter(({ name }) => names.includes(name))) {
    const table = engine.dialect.quoted(tableOf(entity.name));
    const { sample, own } = await whoseRows(engine, tableOf(entity.name));
    const mine = `select t.id as id, t.id as value from ${table} t where ${own}`;
    const count = await engine.count(mine);
    found.push({
      entity,
      samples: await engine.count(`select 1 as one from ${table} t where ${sample}`),
      own: count,
      ownNumbers: count > 0 ? (await engine.sample(mine, 5)).map(({ id }) => Number(id)) : [],
    });
  }
  return found;
}

/** Throws where people's own rows would go that weren't named. */
export function requireNamed(emptying: readonly Emptying[], thrownAway: readonly string[]): void {
  const kept = emptying.filter(({ entity, own }) => own > 0 && !thrownAway.includes(entity.name));
  const [first] = kept;
  if (!first) return;
  const what = kept
    .map(({ entity, own, ownNumbers }) => {
      const rows = own === 1 ? "1 row" : `${own} rows`;
      return `${entity.name} has ${rows} that seeding didn't make, or that somebody changed (${ownNumbers.join(", ")}${own > ownNumbers.length ? ", …" : ""})`;
    })
    .join("; ");
  const names = kept.map(({ entity }) => `--throw-away ${entity.name}`).join(" ");
  throw new Failure(
    "usage",
    `nothing was changed: ${what}`,
    `to delete these too, name it: ${names}. They are kept in a file`,
  );
}

/**
 * Takes the sample rows of some entities away, and all rows of those that are named; what people made is kept in
 * files first. Within a transaction of the caller's. Gives the folder with what is kept.
 */
export async function emptyEntities(
  engine: Engine,
  project: Project,
  model: Model,
  emptying: readonly Emptying[],
  thrownAway: readonly string[],
): Promise<string | undefined> {
  const { quoted } = engine.dialect;
  /** Which rows go, as rows `t` and in statements about the table itself. */
  const going = new Map<Entity, string>();
  const conditions = new Map<Entity, string>();
  for (const { entity } of emptying) {
    const all = thrownAway.includes(entity.name) ? "(1 = 1)" : undefined;
    const table = tableOf(entity.name);
    going.set(entity, all ?? (await whoseRows(engine, table)).sample);
    conditions.set(entity, all ?? (await whoseRows(engine, table, quoted(table))).sample);
  }
  await requireUnused(engine, model, going);
  const kept = await keepOwnRows(engine, project, emptying, thrownAway);
  const run = (statement: string) => engine.migrations.rows(statement);
  const order = inOrder(model).filter((entity) => going.has(entity));
  // What refers to its own kind, or to what comes later, lets go first.
  for (const [at, entity] of order.entries()) {
    const table = quoted(tableOf(entity.name));
    for (const field of entity.fields.filter(isReference)) {
      const target = order.findIndex(({ name }) => name === field.type.entity);
      if (target < at || field.required) continue;
      const column = quoted(columnOf(field));
      await run(
        `update ${table} set ${column} = null where ${column} is not null and ${conditions.get(entity)}`,
      );
    }
  }
  const noted = await engine.hasTable("levadura_seeded");
  for (const entity of [...order].reverse()) {
    const table = quoted(tableOf(entity.name));
    await run(`delete from ${table} where ${conditions.get(entity)}`);
    if (!noted) continue;
    const name = engine.dialect.literal(tableOf(entity.name));
    await run(`delete from levadura_seeded where entity_table = ${name}`);
  }
  return kept;
}

/** Throws where rows that stay refer to some that go. */
async function requireUnused(
  engine: Engine,
  model: Model,
  going: ReadonlyMap<Entity, string>,
): Promise<void> {
  const { quoted } = engine.dialect;
  const uses: string[] = [];
  for (const entity of model.entities) {
    const staying = `not ${going.get(entity) ?? "(1 = 0)"}`;
    for (const field of entity.fields) {
      if (!isReference(field) && !isMany(field)) continue;
      const target = model.entities.find(({ name }) => name === field.type.entity);
      const gone = target && going.get(target);
      if (!target || gone === undefined) continue;
      const doomed = `select t.id from ${quoted(tableOf(target.name))} t where ${gone}`;
      const own = quoted(tableOf(entity.name));
      const links = isMany(field) ? linkOf(entity, field) : undefined;
      const refers = links
        ? `exists (select 1 from ${quoted(links.table)} l where l.${quoted(links.from)} = t.id and l.${quoted(links.to)} in (${doomed}))`
        : `t.${quoted(columnOf(field))} in (${doomed})`;
      const count = await engine.count(
        `select 1 as one from ${own} t where ${staying} and ${refers}`,
      );
      if (count > 0) {
        uses.push(`${count} of ${entity.name} refer to rows of ${target.name} by ${field.name}`);
      }
    }
  }
  if (uses.length === 0) return;
  throw new Failure(
    "input",
    `nothing was changed, because rows that stay refer to some that would go: ${uses.join("; ")}`,
    "name these entities too, or change these rows first",
  );
}

async function keepOwnRows(
  engine: Engine,
  project: Project,
  emptying: readonly Emptying[],
  thrownAway: readonly string[],
): Promise<string | undefined> {
  const own = emptying.filter(({ entity, own }) => own > 0 && thrownAway.includes(entity.name));
  if (own.length === 0) return undefined;
  const folder = join(project.kept, `${new Date().toISOString().replace(/[-:.]/g, "")}-seed`);
  for (const { entity } of own) {
    const table = engine.dialect.quoted(tableOf(entity.name));
    const condition = (await whoseRows(engine, tableOf(entity.name))).own;
    const { columns, rows } = await engine.migrations.stream(
      `select t.* from ${table} t where ${condition}`,
    );
    const path = join(folder, `${tableOf(entity.name)}.jsonl.gz`);
    await writeKept(path, { table, columns, top: null }, rows);
  }
  return folder;
}
