import { archiveField } from "../../core/model/model.ts";
import type { Value } from "../../core/seeding/value.ts";
import type { KeyedTable, LoadRow, LoadTarget } from "./loading.ts";

/** What loading needs of a database, and its syntax for what all of them can do. */
export interface LoadPlace {
  quoted(name: string): string;
  run(statement: string): Promise<void>;
  rows<Row>(query: string): Promise<Row[]>;
  /** The types of the columns of a table, as a temporary table is declared with them. */
  columnTypes(table: string): Promise<Map<string, string>>;
  /** The type of record numbers. */
  number: string;
  /** Makes a temporary table; by the columns that are `indexed`, rows are looked for. */
  stage(table: string, columns: readonly StagedColumn[], indexed?: string): Promise<void>;
  /** Makes one of a query. */
  aside(table: string, query: string, indexed?: readonly string[]): Promise<void>;
  drop(table: string): Promise<void>;
  /** Inserts rows into a temporary table. */
  insert(
    table: string,
    columns: readonly StagedColumn[],
    rows: readonly (readonly Value[])[],
  ): Promise<void>;
  /** Updates rows `t` of a table by those of a temporary one, `i`, that have their number in `id`. */
  updateFrom(
    table: string,
    staged: string,
    sets: readonly (readonly [column: string, value: string])[],
    condition: string,
  ): Promise<void>;
  /** Whether two expressions are the same to the letter, nothing and nothing included. */
  same(one: string, other: string): string;
  /** A text by which rows are distinguished, ignoring case. */
  caseless(text: string): string;
  /** Whether rows `alias` of a table have a text for their key, whatever its case, in the way in which an index helps. */
  hasKey(alias: string, of: KeyedTable, text: string): string;
  /** Some expressions as one, which is the same where all of them are. */
  content(expressions: readonly string[]): string;
  /** A moment, as `2026-05-03T07:00:00Z`, as a literal. */
  moment(text: string): string;
  /** The highest number that a row of a table ever had. */
  highest(table: string): Promise<number>;
  /** Makes a table continue after the numbers that were inserted into it. */
  goOn(table: string): Promise<void>;
  /** What begins and ends a statement that inserts rows, and passes over those that are there. */
  insertMissing: readonly [string, string];
  /** Fills an empty table without a detour, where there is a faster way. Returns the number of rows. */
  fill?(target: LoadTarget, late: LateKeys, batches: Iterable<readonly LoadRow[]>): Promise<number>;
}

export interface StagedColumn {
  name: string;
  type: string;
}

/** The temporary tables with the keys that are settled late: by the place of a column, or of a table of links. */
export interface LateKeys {
  columns: ReadonlyMap<number, string>;
  links: readonly string[];
}

/**
 * What ends a query for the row `alias` that has a key: where archived rows may have the same, the one in use is meant,
 * else the last.
 */
export function inUseFirst(
  { quoted }: Pick<LoadPlace, "quoted">,
  alias: string,
  { inUse }: Pick<KeyedTable, "inUse">,
): string {
  if (!inUse) return "";
  return ` order by ${alias}.${quoted(archiveField)} is not null, ${alias}.id desc limit 1`;
}

/** How many existing rows of something, as it is after `from`. */
export async function countIn(place: LoadPlace, from: string): Promise<number> {
  const [row] = await place.rows<{ count: number }>(`select count(*) as count from ${from}`);
  return Number(row?.count ?? 0);
}
