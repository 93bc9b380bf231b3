import { join } from "node:path";
import { writeKept } from "../../../kit/migrations/row-archive.ts";
import { Failure } from "../../core/failure.ts";
import { type Entity, isMany, isReference, type Model } from "../../core/model/model.ts";
import { columnOf, linkOf, parentsFirst, tableOf } from "../../core/schema/from-model.ts";
import type { Engine } from "../../io/engines/engine.ts";
import type { Project } from "../../io/project/project.ts";
import { countOwners, type RowOwner, rowOwners } from "./row-ownership.ts";

/** What clearing an entity would delete, and whose rows these are. */
export interface Clearing {
  entity: Entity;
  counts: Record<RowOwner, number>;
  /** The first numbers of rows that aren't sample rows. */
  first: number[];
}

/** Which rows of which entity are deleted, as conditions on rows that statements call by an alias. */
export type RowsToDelete = ReadonlyMap<Entity, (alias: string) => string>;

/** What clearing some entities would delete. */
export async function clearingOf(
  engine: Engine,
  model: Model,
  names: readonly string[],
): Promise<Clearing[]> {
  const found: Clearing[] = [];
  for (const entity of model.entities.filter(({ name }) => names.includes(name))) {
    const table = tableOf(entity.name);
    const counts = await countOwners(engine, table);
    const { sample } = await rowOwners(engine, table);
    const others = `select t.id as id, t.id as value from ${engine.dialect.quoted(table)} t where not ${sample}`;
    const some = counts.loaded + counts.user > 0 ? await engine.sample(others, 5) : [];
    found.push({ entity, counts, first: some.map(({ id }) => Number(id)) });
  }
  return found;
}

/** Rows that users entered and rows that were loaded, in words; blank where there are none. */
export function othersIn({ loaded, user }: Record<RowOwner, number>): string {
  const parts = [
    ...(loaded > 0 ? [`${rows(loaded)} loaded from files or the model`] : []),
    ...(user > 0 ? [`${rows(user)} entered or changed by users`] : []),
  ];
  return parts.join(" and ");
}

function rows(count: number): string {
  return count === 1 ? "1 row" : `${count.toLocaleString("en")} rows`;
}

/** Throws where rows that users entered would be deleted of entities that weren't named. */
export function requireNamed(clearing: readonly Clearing[], named: readonly string[]): void {
  const kept = clearing.filter(
    ({ entity, counts }) => counts.user > 0 && !named.includes(entity.name),
  );
  if (kept.length === 0) return;
  const what = kept.map(({ entity, counts, first }) => {
    const total = counts.loaded + counts.user;
    return `${entity.name} has ${othersIn(counts)} (${first.join(", ")}${total > first.length ? ", …" : ""})`;
  });
  const names = kept.map(({ entity }) => `--accept-loss ${entity.name}`).join(" ");
  throw new Failure(
    "usage",
    `nothing was changed: ${what.join("; ")}`,
    `to delete these too, name it: ${names}. They are kept in a file`,
  );
}

/**
 * Deletes the sample rows of some entities, and all rows of those that are named. Within a transaction of the
 * caller's. Returns the folder with the rows that aren't sample rows.
 */
export async function clearEntities(
  engine: Engine,
  project: Project,
  model: Model,
  clearing: readonly Clearing[],
  named: readonly string[],
): Promise<string | undefined> {
  const going = new Map<Entity, (alias: string) => string>();
  for (const { entity } of clearing) {
    const isNamed = named.includes(entity.name);
    const table = tableOf(entity.name);
    const { sample } = await rowOwners(engine, table, alias);
    going.set(entity, (as) => (isNamed ? "(1 = 1)" : sample.replaceAll(`${alias}.`, `${as}.`)));
  }
  const kept = await deleteRows(engine, project, model, going, "seed");
  if (await engine.hasTable("levadura_seeded")) {
    for (const { entity } of clearing) {
      const name = engine.dialect.literal(tableOf(entity.name));
      await engine.migrations.rows(`delete from levadura_seeded where entity_table = ${name}`);
    }
  }
  return kept;
}

/** A placeholder for the alias of a table in conditions. */
const alias = "levadura_row";

/**
 * The one way in which commands delete rows of entities: those that aren't sample rows are kept in files first, and
 * nothing is deleted that rows which stay refer to, or would be deleted with. Within a transaction of the caller's.
 * Returns the folder with what is kept; undefined where there was nothing to keep.
 */
export async function deleteRows(
  engine: Engine,
  project: Project,
  model: Model,
  going: RowsToDelete,
  reason: string,
): Promise<string | undefined> {
  const { quoted } = engine.dialect;
  await requireUnused(engine, model, going);
  const kept = await keepRows(engine, project, going, reason);
  const run = (statement: string) => engine.migrations.rows(statement);
  const order = parentsFirst(model).filter((entity) => going.has(entity));
  const condition = (entity: Entity) =>
    going.get(entity)?.(quoted(tableOf(entity.name))) ?? "1 = 0";
  // References to the same table, or to one that is cleared later, are emptied first.
  for (const [at, entity] of order.entries()) {
    const table = quoted(tableOf(entity.name));
    for (const field of entity.fields.filter(isReference)) {
      const target = order.findIndex(({ name }) => name === field.type.entity);
      if (target < at || field.required) continue;
      const column = quoted(columnOf(field));
      await run(
        `update ${table} set ${column} = null where ${column} is not null and ${condition(entity)}`,
      );
    }
  }
  for (const entity of [...order].reverse()) {
    await run(`delete from ${quoted(tableOf(entity.name))} where ${condition(entity)}`);
  }
  return kept;
}

/** Throws where rows that stay refer to some that go, or are parts of them. */
async function requireUnused(engine: Engine, model: Model, going: RowsToDelete): Promise<void> {
  const { quoted } = engine.dialect;
  const uses: string[] = [];
  for (const entity of model.entities) {
    const staying = `not ${going.get(entity)?.("t") ?? "(1 = 0)"}`;
    for (const field of entity.fields) {
      if (!isReference(field) && !isMany(field)) continue;
      const target = model.entities.find(({ name }) => name === field.type.entity);
      const gone = target && going.get(target);
      if (!target || gone === undefined) continue;
      const doomed = `select d.id from ${quoted(tableOf(target.name))} d where ${gone("d")}`;
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
    `nothing was changed, because rows that stay refer to some that would be deleted: ${uses.join("; ")}`,
    "name these entities too, or change these rows first",
  );
}

/** Keeps the rows to be deleted that aren't sample rows, with their links to other rows. */
async function keepRows(
  engine: Engine,
  project: Project,
  going: RowsToDelete,
  reason: string,
): Promise<string | undefined> {
  const { quoted } = engine.dialect;
  const folder = join(project.kept, `${new Date().toISOString().replace(/[-:.]/g, "")}-${reason}`);
  let any = false;
  const keep = async (name: string, query: string) => {
    if ((await engine.count(query)) === 0) return;
    const { columns, rows } = await engine.migrations.stream(query);
    const path = join(folder, `${name.replaceAll("_", "-")}.jsonl.gz`);
    await writeKept(path, { table: quoted(name), columns, top: null }, rows);
    any = true;
  };
  for (const [entity, condition] of going) {
    const table = tableOf(entity.name);
    const { sample } = await rowOwners(engine, table);
    const kept = `${condition("t")} and not ${sample}`;
    await keep(table, `select t.* from ${quoted(table)} t where ${kept}`);
    for (const field of entity.fields.filter(isMany)) {
      const { table: links, from } = linkOf(entity, field);
      const owners = `select t.id from ${quoted(table)} t where ${kept}`;
      await keep(
        links,
        `select l.* from ${quoted(links)} l where l.${quoted(from)} in (${owners})`,
      );
    }
  }
  return any ? folder : undefined;
}
