import { type AliasedRawBuilder, type Expression, type Kysely, type RawBuilder, sql } from "kysely";
import { orderTerm, written } from "./database/current-dialect.ts";
import type { WrittenKind } from "./database/database.ts";
import type { Link } from "./links.ts";
import { now } from "./time.ts";

/** The columns that a new record starts with, besides its own. */
export function stampNew() {
  const moment = now();
  return { created_at: moment, updated_at: moment };
}

/** The columns that change with every save. */
export function stampSaved(version: number) {
  return { version: version + 1, updated_at: now() };
}

/** A title of kind and number, in SQL: `Inspection 12`. */
export function numberedTitle(kind: string, id: string): RawBuilder<string> {
  return sql<string>`concat_ws(' ', ${sql.lit(kind)}, ${sql.ref(id)})`;
}

/** A title made of words and columns, in SQL; of kind and number where all of the columns are empty. */
export function titleOfParts(
  kind: string,
  id: string,
  parts: readonly (string | Expression<unknown>)[],
): RawBuilder<string> {
  const texts = parts.map((part) => (typeof part === "string" ? sql.lit(part) : part));
  return sql<string>`coalesce(nullif(trim(concat_ws('', ${sql.join(texts)})), ''), ${numberedTitle(kind, id)})`;
}

/** A column as part of a title; what isn't text is written as the forms write it. */
export function titlePart(column: string, kind: WrittenKind): RawBuilder<string> {
  return written(column, kind);
}

/** The title of the record that a reference column points at, in SQL; null where it points at none. */
export function titleThrough(
  table: string,
  title: (row: string) => Expression<string>,
  reference: string,
): RawBuilder<string | null> {
  const row = reference.replace(".", "_");
  return sql<
    string | null
  >`(select ${title(row)} from ${sql.table(table)} as ${sql.table(row)} where ${sql.ref(`${row}.id`)} = ${sql.ref(reference)})`;
}

/** A title as the column that every query of records has. */
export function namedTitle(title: Expression<string>): AliasedRawBuilder<string, "displayTitle"> {
  return sql<string>`${title}`.as("displayTitle");
}

/** The column with the titles of a query, and the order by it. */
const displayTitle = sql.ref("displayTitle");
const byTitle = sql`${orderTerm("displayTitle", false, true)}, ${sql.ref("id")}`;

/** What a lookup offers at most, besides what is chosen in it already. */
export const mostOptions = 5000;

/** Records of a table as links, by title: what a lookup offers. Those that are chosen are always among them. */
export async function linksOf<Tables>(
  db: Kysely<Tables>,
  table: string,
  title: (row: string) => Expression<string>,
  chosen: readonly number[],
): Promise<Link[]> {
  const select = sql`select ${sql.ref(`${table}.id`)}, ${title(table)} as ${displayTitle} from ${sql.table(table)}`;
  const { rows } =
    await sql<Link>`${select} order by ${byTitle} limit ${sql.lit(mostOptions)}`.execute(db);
  if (rows.length < mostOptions || chosen.length === 0) return rows;
  const offered = new Set(rows.map(({ id }) => id));
  const others = chosen.filter((id) => !offered.has(id));
  if (others.length === 0) return rows;
  const more = sql<Link>`${select} where ${sql.ref(`${table}.id`)} in (${sql.join(others)}) order by ${byTitle}`;
  return [...(await more.execute(db)).rows, ...rows];
}

/** One end of the table behind a field that holds many records. */
export interface LinkTable {
  table: string;
  /** The column of the record that has the field. */
  from: string;
  /** The column of the records that are in it. */
  to: string;
}

/** What many-to-many fields hold, for all records of a page in one statement. */
export async function linkedRecords<Tables>(
  db: Kysely<Tables>,
  { table, from, to }: LinkTable,
  target: string,
  title: (row: string) => Expression<string>,
  ids: readonly number[],
): Promise<Map<number, Link[]>> {
  const found = new Map<number, Link[]>(ids.map((id) => [id, []]));
  if (ids.length === 0) return found;
  const { rows } = await sql<Link & { owner: number }>`
    select ${sql.ref(`${table}.${from}`)} as owner, ${sql.ref("linked.id")}, ${title("linked")} as ${displayTitle}
    from ${sql.table(table)} join ${sql.table(target)} as linked on ${sql.ref("linked.id")} = ${sql.ref(`${table}.${to}`)}
    where ${sql.ref(`${table}.${from}`)} in (${sql.join(ids)})
    order by ${byTitle}`.execute(db);
  for (const { owner, id, displayTitle } of rows) found.get(owner)?.push({ id, displayTitle });
  return found;
}

/** Makes a many-to-many field hold these records, and no others. */
export async function replaceLinks<Tables>(
  db: Kysely<Tables>,
  { table, from, to }: LinkTable,
  id: number,
  targets: readonly number[],
): Promise<void> {
  const { rows } = await sql<{
    target: number;
  }>`select ${sql.ref(to)} as target from ${sql.table(table)} where ${sql.ref(from)} = ${id}`.execute(
    db,
  );
  const there = new Set(rows.map(({ target }) => target));
  const wanted = new Set(targets);
  const gone = [...there].filter((target) => !wanted.has(target));
  for (let at = 0; at < gone.length; at += linksAtOnce) {
    const some = sql.join(gone.slice(at, at + linksAtOnce));
    await sql`delete from ${sql.table(table)} where ${sql.ref(from)} = ${id} and ${sql.ref(to)} in (${some})`.execute(
      db,
    );
  }
  const added = [...wanted].filter((target) => !there.has(target));
  await addLinks(db, { table, from, to }, id, added);
}

/** Links that one statement adds or deletes; databases take some thousand values in one. */
const linksAtOnce = 1000;

/** Puts records into a many-to-many field that holds none of them. */
export async function addLinks<Tables>(
  db: Kysely<Tables>,
  { table, from, to }: LinkTable,
  id: number,
  targets: readonly number[],
): Promise<void> {
  for (let at = 0; at < targets.length; at += linksAtOnce) {
    const pairs = targets.slice(at, at + linksAtOnce).map((target) => sql`(${id}, ${target})`);
    await sql`insert into ${sql.table(table)} (${sql.ref(from)}, ${sql.ref(to)}) values ${sql.join(pairs)}`.execute(
      db,
    );
  }
}

/** Records that refer to one that is about to go. */
export interface ReferencingRecords {
  /** What they are, for one and for several: `inspection`, `inspections`. */
  one: string;
  many: string;
  /** Where their pages are: `/inspections`. */
  path: string;
  count: number;
  /** The first of them. */
  first: Link[];
  /** They are parts of the record and go with it; otherwise they are in the way. */
  cascades: boolean;
}

/** How records of another table refer to one. */
export interface Reference {
  table: string;
  title: (row: string) => Expression<string>;
  one: string;
  many: string;
  path: string;
  /** The column that refers; or the table of links between the two. */
  column: string | LinkTable;
  cascades?: boolean;
}

/** What refers to a record, kind by kind; kinds with nothing are left out. */
export async function referencedBy<Tables>(
  db: Kysely<Tables>,
  id: number,
  references: readonly Reference[],
): Promise<ReferencingRecords[]> {
  const found: ReferencingRecords[] = [];
  for (const { table, title, one, many, path, column, cascades = false } of references) {
    const match =
      typeof column === "string"
        ? sql`${sql.ref(`${table}.${column}`)} = ${id}`
        : sql`${sql.ref(`${table}.id`)} in (select ${sql.ref(column.from)} from ${sql.table(column.table)} where ${sql.ref(column.to)} = ${id})`;
    const { rows } = await sql<Link & { total: number }>`
      select ${sql.ref(`${table}.id`)}, ${title(table)} as ${displayTitle}, count(*) over () as total
      from ${sql.table(table)} where ${match} order by ${byTitle} limit 5`.execute(db);
    const [first] = rows;
    if (first) found.push({ one, many, path, cascades, count: Number(first.total), first: rows });
  }
  return found;
}

/** How many rows each of some tables has, in one statement. */
export async function countRows<Tables>(
  db: Kysely<Tables>,
  tables: readonly string[],
): Promise<Map<string, number>> {
  const counts = tables.map(
    (table) => sql`select ${sql.lit(table)} as name, count(*) as total from ${sql.table(table)}`,
  );
  const { rows } = await sql<{
    name: string;
    total: number;
  }>`${sql.join(counts, sql` union all `)}`.execute(db);
  return new Map(rows.map(({ name, total }) => [name, Number(total)]));
}
