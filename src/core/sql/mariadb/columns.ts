import { collation, literal, quoted } from "../../../../kit/database/mariadb/literals.ts";
import type { Backfill } from "../../evolution/steps.ts";
import type { ColumnType } from "../../fields/storage.ts";
import { archiveField } from "../../model/model.ts";
import type { Column, Index, Table } from "../../schema/schema.ts";
import { serverChecks } from "../checks.ts";
import { cutName } from "../names.ts";
import { rowCheckLines } from "../row-checks.ts";

/** The longest name that the database takes, in characters. */
export const longestName = 64;

/** The longest text that an index holds whole, in characters; longer ones are kept beside the row. */
const longestIndexed = 768;

/** The longest text of the type `text`, in characters of four bytes. */
const longestText = 16_383;

export function madeName(...words: readonly string[]): string {
  return cutName(words, (name) => [...name].length <= longestName);
}

const { check } = serverChecks(literal);

/** The current time in UTC, to the second. */
export const thisMoment = "utc_timestamp()";

/** The expression of a value that rows are filled with. */
export function fillSql(fill: Backfill): string {
  if ("value" in fill) return literal(fill.value);
  if ("moment" in fill) return fill.moment === "today" ? "utc_date()" : thisMoment;
  const { table, column, value } = fill.row;
  return `(select min(${quoted("id")}) from ${quoted(table)} where ${quoted(column)} = ${literal(value)})`;
}

/** A table without the references that lead to other tables than the ones named. */
export function createTable(
  { name, columns, key, indexes, checks }: Table,
  there: ReadonlySet<string>,
): string {
  const lines = columns.map((column) =>
    column.name === "id" && key.length === 1
      ? `${quoted("id")} bigint not null auto_increment`
      : columnSql(column),
  );
  lines.push(`primary key (${key.map(quoted).join(", ")})`);
  for (const column of columns) {
    if (hasOwnKey({ key }, column)) lines.push(ownKey(name, column));
  }
  for (const index of indexes) {
    if (index.inUse) lines.push(inUseSql(index));
    if (!isCovered(columns, index)) lines.push(indexSql(columns, index));
  }
  for (const column of columns) {
    if (column.references && there.has(column.references.table)) {
      lines.push(foreignKey(name, column));
    }
  }
  lines.push(...rowCheckLines({ quoted, database: "mariadb" }, checks));
  return `create table ${quoted(name)} (\n${lines.map((line) => `  ${line}`).join(",\n")}\n) engine = InnoDB default character set utf8mb4 collate ${collation}`;
}

/** Whether a reference has an index of its own, which it can't do without. */
export function hasOwnKey({ key }: Pick<Table, "key">, column: Column): boolean {
  return column.references !== undefined && key[0] !== column.name;
}

/** The index of a reference; it is called as the reference. */
export function ownKey(table: string, { name }: Column): string {
  return `key ${quoted(foreignKeyName(table, name))} (${quoted(name)})`;
}

/** Whether the index of a reference serves for another one. */
export function isCovered(columns: readonly Column[], { columns: names, unique }: Index): boolean {
  const [only] = names;
  return (
    !unique &&
    names.length === 1 &&
    columns.some(({ name, references }) => name === only && references !== undefined)
  );
}

/** An index within a table. A long text is indexed by its beginning, unless the whole has to be unique. */
export function indexSql(columns: readonly Column[], index: Index): string {
  const { name, columns: names, unique } = index;
  const lengths = names.map((each) => {
    const type = columns.find((column) => column.name === each)?.type;
    if (type?.kind === "long text") return Number.POSITIVE_INFINITY;
    return type?.kind === "text" || type?.kind === "code" ? type.max : 0;
  });
  const total = lengths.reduce((sum, length) => sum + length, 2 * names.length);
  const share = Math.floor((longestIndexed - 2 * names.length) / names.length);
  const parts = names.map((each, at) => {
    const cut = !unique && total > longestIndexed && (lengths[at] ?? 0) > share;
    return cut ? `${quoted(each)}(${share})` : quoted(each);
  });
  if (index.inUse) parts.push(quoted(inUseColumn(index)));
  return `${unique ? "unique " : ""}key ${quoted(madeName(name))} (${parts.join(", ")})`;
}

/**
 * The column that a unique index has besides its own where it counts the rows in use only: it is empty in the others,
 * and a key that has an empty part is unique by itself.
 */
export function inUseColumn({ name }: Index): string {
  return madeName(name, "in_use");
}

export function inUseSql(index: Index): string {
  return `${quoted(inUseColumn(index))} boolean as (if(${quoted(archiveField)} is null, 1, null)) virtual invisible`;
}

/** A column with its checks. */
export function columnSql(column: Column): string {
  const checks = columnChecks(column);
  return [
    quoted(column.name),
    typeSql(column.type),
    column.required && "not null",
    column.default !== undefined && `default ${literal(column.default)}`,
    checks.length > 0 && `check (${checks.join(" and ")})`,
  ]
    .filter(Boolean)
    .join(" ");
}

/** What a column has to obey; a text that its type doesn't bound is bounded by a check. */
function columnChecks({ name, type, checks = [] }: Column): string[] {
  const own = checks.map((each) => check(each, quoted(name)));
  const bounded = checks.some((each) => each.kind === "length" && each.max !== undefined);
  const open = type.kind === "text" && type.max > longestIndexed && !bounded;
  return open ? [`char_length(${quoted(name)}) <= ${type.max}`, ...own] : own;
}

export function typeSql(type: ColumnType): string {
  switch (type.kind) {
    case "text":
      if (type.max <= longestIndexed) return `varchar(${type.max})`;
      return type.max <= longestText ? "text" : "longtext";
    case "files":
      return "text collate utf8mb4_bin";
    case "long text":
      return "longtext";
    case "code":
      return `varchar(${type.max}) collate utf8mb4_bin`;
    case "integer":
      return "bigint";
    case "decimal":
      return `decimal(${15 + type.places}, ${type.places})`;
    case "boolean":
      return "boolean";
    case "date":
      return "date";
    case "time":
      return "time";
    case "datetime":
      return "datetime";
  }
}

export const foreignKeyName = (table: string, column: string) => madeName(table, column, "fkey");

/** A reference. Deleting what it leads to is refused where nothing else is said. */
export function foreignKey(table: string, { name, references }: Column): string {
  const target = references?.table ?? "";
  return `constraint ${quoted(foreignKeyName(table, name))} foreign key (${quoted(name)}) references ${quoted(target)} (${quoted("id")})${references?.onDelete === "along" ? " on delete cascade" : ""}`;
}
