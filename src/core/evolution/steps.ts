import type { Check } from "../fields/storage.ts";
import type { RowCheck } from "../model/model.ts";
import type { Column, Index, Schema, Table } from "../schema/schema.ts";

/** The value for rows that have none: a constant, this moment, or the number of a row found by its text. */
export type Backfill =
  | { value: string | number | boolean }
  | { moment: "today" | "now" }
  | { row: { table: string; column: string; value: string } };

/** The databases that a step of the developer's own has SQL for. */
export type SqlByDatabase = Partial<Record<"sqlite" | "postgres" | "mariadb", string>>;

/**
 * One change of a schema, independent of the database. `keep` names the file for the data that a
 * step deletes; `restore` the one from which its inverse brings it back. Where a step is `lossy`, values
 * that can't be taken over become empty; otherwise they block it.
 */
export type Step =
  | { kind: "rename table"; table: string; to: string }
  | { kind: "rename column"; table: string; column: string; to: string }
  | { kind: "add table"; table: Table; restore?: string }
  | { kind: "drop table"; table: Table; keep: string; carried?: true }
  | { kind: "add column"; table: string; column: Column; fill?: Backfill; restore?: string }
  | { kind: "drop column"; table: string; column: Column; keep?: string; carried?: true }
  | ChangeColumn
  | { kind: "add index"; table: string; index: Index }
  | { kind: "drop index"; table: string; index: Index }
  | { kind: "add check"; table: string; check: RowCheck }
  | { kind: "drop check"; table: string; check: RowCheck }
  | LookupChange
  | ReferenceAndLinks
  | MoveColumn
  | { kind: "own sql"; about: string; forward: SqlByDatabase; back?: SqlByDatabase };

export interface ChangeColumn {
  kind: "change column";
  table: string;
  from: Column;
  to: Column;
  /** New values for old ones. */
  values?: Record<string, string>;
  fill?: Backfill;
  lossy?: true;
  keep?: string;
  restore?: string;
  /** By which days become moments, and moments days; UTC where it isn't said. */
  timezone?: string;
}

/** Distinct texts of a column become rows of another table, and a reference leads to them; or back. */
export interface LookupChange {
  kind: "extract lookup" | "inline lookup";
  table: string;
  /** The column with the texts. */
  column: string;
  /** The column with the numbers of the rows. */
  reference: string;
  /** The other table, and the column of it that has the text. */
  target: string;
  key: string;
  /** Whether every row has to have a value in the end. */
  required?: true;
  /** What new rows have in other columns. */
  others?: Record<string, Backfill>;
  /** The file that knows which rows were made. */
  keep?: string;
  restore?: string;
  /** References whose texts are there again by then, so that they keep no row that was made. */
  spent?: { table: string; column: string }[];
}

/** A reference becomes a table of links, or back: then all but the first link are lost. */
export interface ReferenceAndLinks {
  kind: "reference to links" | "links to reference";
  table: string;
  reference: string;
  links: string;
  from: string;
  to: string;
  required?: true;
  lossy?: true;
  /** The file of the links that a reference can't hold. */
  keep?: string;
  restore?: string;
}

/** A column's values are deleted with it a reference into a column of the table at its other end, where that is empty. */
export interface MoveColumn {
  kind: "move column";
  from: { table: string; column: string };
  to: { table: string; column: string };
  /** The reference: a column of one of the two tables. */
  by: { table: string; column: string };
  lossy?: true;
}

/** A step in a sentence without its subject. */
export function describeStep(step: Step): string {
  switch (step.kind) {
    case "rename table":
      return `renames the table ${step.table} to ${step.to}`;
    case "rename column":
      return `renames the column ${step.table}.${step.column} to ${step.to}`;
    case "add table":
      return `adds the table ${step.table.name} with ${step.table.columns.length} columns`;
    case "drop table":
      return `drops the table ${step.table.name}`;
    case "add column":
      return `adds the column ${step.table}.${step.column.name}`;
    case "drop column":
      return `drops the column ${step.table}.${step.column.name}`;
    case "change column":
      return `changes the column ${step.table}.${step.to.name}: it ${columnChanges(step).join(" and ")}`;
    case "add index":
      return `adds ${step.index.unique ? "a unique" : "an"} index ${step.index.words ? "of parts of words " : ""}on ${step.table} (${step.index.columns.join(", ")})${step.index.inUse ? " of the rows in use" : ""}`;
    case "drop index":
      return `drops the index on ${step.table} (${step.index.columns.join(", ")})`;
    case "add check":
      return `makes rows of ${step.table} obey: ${step.check.holds}`;
    case "drop check":
      return `no longer makes rows of ${step.table} obey: ${step.check.holds}`;
    case "extract lookup":
      return `makes rows of ${step.target} from the texts in ${step.table}.${step.column}`;
    case "inline lookup":
      return `writes ${step.target}.${step.key} into ${step.table}.${step.column}`;
    case "reference to links":
      return `turns ${step.table}.${step.reference} into rows of ${step.links}`;
    case "links to reference":
      return `turns rows of ${step.links} into ${step.table}.${step.reference}`;
    case "move column":
      return `takes ${step.from.table}.${step.from.column} over into ${step.to.table}.${step.to.column}`;
    case "own sql":
      return step.about;
  }
}

/** What a change does to a column, in words that follow its name. */
export function columnChanges({
  from,
  to,
  values = {},
}: Pick<ChangeColumn, "from" | "to" | "values">): string[] {
  const changes: string[] = [];
  if (!alike(from.type, to.type)) {
    const shorter = from.type.kind === "text" && to.type.kind === "text";
    changes.push(
      shorter ? `takes ${typeWords(to)}` : `turns from ${typeWords(from)} into ${typeWords(to)}`,
    );
  }
  if (from.required !== to.required)
    changes.push(to.required ? "becomes required" : "is no longer required");
  if (from.default !== to.default)
    changes.push(
      to.default === undefined ? "no longer has a default" : `has the default ${to.default}`,
    );
  if (from.references?.onDelete !== to.references?.onDelete)
    changes.push(
      to.references?.onDelete === "along"
        ? "is deleted with what it refers to"
        : "is no longer deleted with what it refers to",
    );
  for (const [old, now] of Object.entries(values)) changes.push(`has the choice ${old} as ${now}`);
  changes.push(...checkChanges(from, to, values));
  return changes;
}

function checkChanges(
  from: Column,
  to: Column,
  values: Readonly<Record<string, string>>,
): string[] {
  const of = <Kind extends Check["kind"]>({ checks = [] }: Column, kind: Kind) =>
    checks.find((check): check is Extract<Check, { kind: Kind }> => check.kind === kind);
  const changes: string[] = [];
  const old = of(from, "one of")?.values.map((value) => values[value] ?? value);
  const now = of(to, "one of")?.values;
  if (old && now) {
    const gone = old.filter((value) => !now.includes(value));
    const added = now.filter((value) => !old.includes(value));
    if (gone.length > 0) changes.push(`no longer takes ${gone.join(", ")}`);
    if (added.length > 0) changes.push(`takes ${added.join(", ")} too`);
    if (changes.length === 0 && !alike(old, now)) changes.push("has its choices in another order");
  } else if (now) changes.push(`takes only ${now.join(", ")}`);
  else if (old) changes.push("takes any text");
  for (const kind of ["length", "range"] as const) {
    const [before, after] = [of(from, kind), of(to, kind)];
    if (alike(before, after) || (!after && !alike(from.type.kind, to.type.kind))) continue;
    const what = kind === "length" ? "a length" : "values";
    changes.push(
      after
        ? `takes ${what} of ${after.min ?? ""}..${after.max ?? ""}`
        : `takes any ${kind === "length" ? "length" : "value"}`,
    );
  }
  return changes;
}

function typeWords({ type }: Column): string {
  if (type.kind === "text") return `text of at most ${type.max} characters`;
  return type.kind === "decimal"
    ? `a decimal with ${type.places} ${type.places === 1 ? "place" : "places"}`
    : type.kind;
}

/** Whether two pieces of data are the same. */
export function alike(a: unknown, b: unknown): boolean {
  return JSON.stringify(a ?? null) === JSON.stringify(b ?? null);
}

/** A step in a few words, for the name of a migration: `add-hive-weight`. */
export function nameStep(step: Step): string {
  return wordsOf(step)
    .join("-")
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "-")
    .replace(/^-|-$/g, "")
    .slice(0, 60);
}

function wordsOf(step: Step): string[] {
  switch (step.kind) {
    case "rename table":
      return ["rename", step.table, "to", step.to];
    case "rename column":
      return ["rename", step.table, step.column, "to", step.to];
    case "add table":
      return ["add", step.table.name];
    case "drop table":
      return ["drop", step.table.name];
    case "add column":
      return ["add", step.table, step.column.name];
    case "drop column":
      return ["drop", step.table, step.column.name];
    case "change column":
      return ["change", step.table, step.to.name];
    case "extract lookup":
      return [step.table, step.column, "to", step.target];
    case "inline lookup":
      return [step.table, step.target, "to text"];
    case "reference to links":
    case "links to reference":
      return [step.table, step.reference, "and", step.links];
    case "move column":
      return ["move", step.from.table, step.from.column, "to", step.to.table];
    case "own sql":
      return [step.about];
    case "add index":
    case "drop index":
      return ["index", step.table];
    case "add check":
    case "drop check":
      return ["check", step.table];
  }
}

/** The schema after a step. */
export function takeStep(schema: Schema, step: Step): Schema {
  const tables = (change: (table: Table) => Table): Schema => ({
    tables: schema.tables.map(change),
  });
  const inTable = (name: string, change: (table: Table) => Table): Schema =>
    tables((table) => (table.name === name ? change(table) : table));
  switch (step.kind) {
    case "rename table":
      return tables((table) => ({
        ...table,
        name: table.name === step.table ? step.to : table.name,
        columns: table.columns.map((column) =>
          column.references?.table === step.table
            ? { ...column, references: { ...column.references, table: step.to } }
            : column,
        ),
      }));
    case "rename column":
      return inTable(step.table, (table) => renameColumn(table, step.column, step.to));
    case "add table":
      return { tables: [...schema.tables, step.table] };
    case "drop table":
      return { tables: schema.tables.filter(({ name }) => name !== step.table.name) };
    case "add column":
      return inTable(step.table, (table) => ({
        ...table,
        columns: [...table.columns, step.column],
      }));
    case "drop column":
      return inTable(step.table, (table) => ({
        ...table,
        columns: table.columns.filter(({ name }) => name !== step.column.name),
      }));
    case "change column":
      return inTable(step.table, (table) => ({
        ...table,
        columns: table.columns.map((column) => (column.name === step.to.name ? step.to : column)),
      }));
    case "add index":
      return inTable(step.table, (table) => ({
        ...table,
        indexes: [...table.indexes, step.index],
      }));
    case "drop index":
      return inTable(step.table, (table) => ({
        ...table,
        indexes: table.indexes.filter(({ name }) => name !== step.index.name),
      }));
    case "add check":
      return inTable(step.table, (table) =>
        withChecks(table, [...(table.checks ?? []), step.check]),
      );
    case "drop check":
      return inTable(step.table, ({ checks = [], ...table }) =>
        withChecks(
          table,
          checks.filter(({ name }) => name !== step.check.name),
        ),
      );
    case "extract lookup":
    case "inline lookup":
    case "reference to links":
    case "links to reference":
    case "move column":
    case "own sql":
      return schema;
  }
}

/** The table with other checks; the property is there only where there are any. */
function withChecks({ checks: _, ...table }: Table, checks: RowCheck[]): Table {
  return { ...table, ...(checks.length > 0 && { checks }) };
}

function renameColumn(table: Table, column: string, to: string): Table {
  const renamed = (name: string) => (name === column ? to : name);
  return {
    ...table,
    key: table.key.map(renamed),
    columns: table.columns.map((each) => ({ ...each, name: renamed(each.name) })),
    indexes: table.indexes.map((index) => ({ ...index, columns: index.columns.map(renamed) })),
  };
}

/** The schema that a row of steps leads to. */
export function replay(steps: readonly Step[], from: Schema = { tables: [] }): Schema {
  return steps.reduce(takeStep, from);
}

/** The name of the file for what a column or a table held. */
export function keepName(table: string, column?: string): string {
  return (column ? `${table}-${column}` : table).replaceAll("_", "-");
}

/** Whether every value of a type can be turned into another and back without a difference. */
export function isExact(from: Column["type"], to: Column["type"]): boolean {
  if (from.kind === to.kind) {
    return from.kind !== "decimal" || to.kind !== "decimal" || from.places <= to.places;
  }
  return exactly[from.kind]?.includes(to.kind) ?? false;
}

const exactly: Partial<Record<Column["type"]["kind"], readonly Column["type"]["kind"][]>> = {
  text: ["long text"],
  "long text": ["text"],
  integer: ["text", "long text", "decimal"],
  decimal: ["text", "long text"],
  boolean: ["text", "long text", "integer", "decimal"],
  date: ["text", "long text", "datetime"],
  time: ["text", "long text"],
  datetime: ["text", "long text"],
};
