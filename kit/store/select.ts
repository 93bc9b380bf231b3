import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import {
  automaticColumns,
  type Entity,
  isComputed,
  isReference,
  isReferences,
  type Row,
  type RowOf,
} from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import { linkedRecords } from "./join-tables.ts";
import { plainTitle, titleOf, titleProperty, titleThrough } from "./titles.ts";

/**
 * What is selected of the rows of an entity, whose table goes by its own name in the statement. Where long tables are read
 * for some of their fields only, `only` names these; `titles` those of them whose titles are needed, `displayTitle` for
 * that of the rows themselves.
 */
export function selection(
  scope: Scope,
  entity: Entity,
  only?: ReadonlySet<string>,
  titles?: ReadonlySet<string>,
): RawBuilder<unknown> {
  const { table, fields } = entity;
  const ownTitle = sql`${titleOf(scope, entity, table)} as ${sql.id("displayTitle")}`;
  const columns = only
    ? storedColumns(entity)
        .filter((name) => name === "id" || only.has(name))
        .map((name) => sql.id(table, name))
    : [ownColumns(scope, entity), ...(plainTitle(entity) ? [] : [ownTitle])];
  if (only && titles?.has("displayTitle")) columns.push(ownTitle);
  for (const [name, field] of Object.entries(fields)) {
    if (only && !only.has(name)) continue;
    if (isComputed(field)) columns.push(sql`${field.formula(scope)} as ${sql.id(name)}`);
    else if (isReference(field) && (!titles || titles.has(name))) {
      const title = titleThrough(scope, scope.entities.named(field.to), `${table}.${name}`);
      columns.push(sql`${title} as ${sql.id(titleProperty(name))}`);
    }
  }
  return sql.join(columns);
}

const written = new WeakMap<Entity, RawBuilder<unknown>>();

/** The columns of the table itself: the same for every request, so that they are written only once. */
function ownColumns(scope: Scope, entity: Entity): RawBuilder<unknown> {
  const known = written.get(entity);
  if (known) return known;
  const columns = sql.join(storedColumns(entity).map((name) => sql.id(entity.table, name)));
  const text = sql.raw(columns.compile(scope.db.withoutPlugins()).sql);
  written.set(entity, text);
  return text;
}

function storedColumns({ fields }: Entity): string[] {
  const stored = Object.entries(fields).filter(
    ([, field]) => !isReferences(field) && !isComputed(field),
  );
  return [...automaticColumns, ...stored.map(([name]) => name)];
}

/** Rows as pages have them: with links to what they refer to, and with what their link tables hold. */
export async function completed<Known extends Entity>(
  scope: Scope,
  entity: Known,
  rows: readonly Record<string, unknown>[],
  only?: ReadonlySet<string>,
): Promise<RowOf<Known>[]> {
  const { path: pagePath } = entity;
  // A title that is a column is read once.
  const plain = plainTitle(entity);
  const fields = Object.entries(entity.fields).filter(([name]) => !only || only.has(name));
  const links = fields.flatMap(([name, field]) =>
    isReference(field)
      ? {
          column: name,
          property: name.replace(/_id$/, ""),
          title: titleProperty(name),
          pagePath: scope.entities.named(field.to).path,
        }
      : [],
  );
  for (const row of rows) {
    row.pagePath = pagePath;
    if (plain !== undefined) row.displayTitle ??= row[plain];
    for (const { column, property, title, pagePath } of links) {
      const displayTitle = row[title];
      row[property] =
        typeof displayTitle === "string" ? { id: row[column], displayTitle, pagePath } : null;
    }
  }
  const ids = rows.map(({ id }) => id as number);
  for (const [name, field] of fields) {
    if (!isReferences(field)) continue;
    const held = await linkedRecords(scope, { entity, name, field }, ids);
    for (const row of rows) row[name] = held.get(row.id as number) ?? ([] satisfies Link[]);
  }
  return rows as unknown as RowOf<Known>[];
}

/** One record with everything that its page shows; undefined where there is none in sight. */
export async function findRow<Known extends Entity>(
  scope: Scope,
  entity: Known,
  id: number,
): Promise<RowOf<Known> | undefined> {
  const table = sql.table(entity.table);
  const { rows } = await sql<Record<string, unknown>>`
    select ${selection(scope, entity)} from ${scope.rowsOf(entity)} as ${table}
    where ${sql.ref(`${entity.table}.id`)} = ${id}`.execute(scope.db);
  const [row] = await completed(scope, entity, rows);
  return row;
}

/** The same, whatever the entity. */
export async function findAnyRow(
  scope: Scope,
  entity: Entity,
  id: number,
): Promise<Row | undefined> {
  return (await findRow(scope, entity, id)) as Row | undefined;
}
