import { collation, literal, quoted } from "../../../../kit/database/postgres/literals.ts";
import { alike, type ChangeColumn, type Step, takeStep } from "../../evolution/steps.ts";
import {
  type Column,
  type Index,
  type Schema,
  type Table,
  tableNamed,
} from "../../schema/schema.ts";
import { alteringDialect, referring } from "../altering.ts";
import * as flows from "../data-moves.ts";
import type { Dialect } from "../dialect.ts";
import type { ScriptPart } from "../script.ts";
import { keptTable } from "../syntax.ts";
import { changedValue, keptRows } from "../values.ts";
import {
  checkConstraint,
  checkName,
  columnSql,
  createIndex,
  createTable,
  dropIndex,
  fillSql,
  foreignKey,
  foreignKeyName,
  indexMethod,
  madeName,
  typeSql,
} from "./columns.ts";
import { limits } from "./limits.ts";
import { noRowSecurity, rowSecurity } from "./row-security.ts";
import { syntax } from "./syntax.ts";

/** What makes a table continue after the numbers that were inserted into it. */
function numbersGoOn(table: string): string {
  const [name, id] = [quoted(table), quoted("id")];
  return `select setval(pg_get_serial_sequence(${literal(name)}, 'id'), max(${id})) from ${name} having max(${id}) is not null`;
}

/** PostgreSQL: nearly everything can be altered in place, and all of it within a transaction. */
export const postgres: Dialect = alteringDialect({
  name: "postgres",
  transactional: true,
  limits,
  numbersGoOn,
  syntax,
  typeSql,
  keptValue: cast,
  renameTable,
  renameColumn,
  addTable,
  dropReference: (table, column) => `drop constraint ${quoted(foreignKeyName(table, column))}`,
  addColumn,
  dropColumn: (step) => [
    ...noRowSecurity(step.table, [step.column]),
    ...flows.dropColumn(syntax, step),
  ],
  changeColumn: (step, before) => indexedAround(step, before, changeColumn(step)),
  changeIndex,
});

const run = (sql: string): ScriptPart => ({ kind: "run", sql });

/** What an index can't hold is found without it; where it would be unique, the model was refused. */
function changeIndex(
  { kind, table, index }: Extract<Step, { kind: "add index" | "drop index" }>,
  before: Schema,
): ScriptPart[] {
  const columns = tableNamed(before, table)?.columns ?? [];
  if (kind === "add index") return makeIndex(table, columns, index);
  return [dropIndex(table, columns, index)].flatMap((sql) => (sql ? [run(sql)] : []));
}

function makeIndex(table: string, columns: readonly Column[], index: Index): ScriptPart[] {
  const sql = createIndex(table, columns, index);
  if (!sql) return [];
  return index.words ? [run("create extension if not exists pg_trgm"), run(sql)] : [run(sql)];
}

/** The names of constraints follow those of their tables and columns, by which they are dropped. */
function renameConstraints(before: Table, after: Table): ScriptPart[] {
  const renamed: [string, string][] = [
    [madeName(before.name, "pkey"), madeName(after.name, "pkey")],
  ];
  before.columns.forEach((column, at) => {
    const name = after.columns[at]?.name ?? column.name;
    if (checkConstraint(before.name, column)) {
      renamed.push([checkName(before.name, column.name), checkName(after.name, name)]);
    }
    if (column.references) {
      renamed.push([foreignKeyName(before.name, column.name), foreignKeyName(after.name, name)]);
    }
  });
  return renamed
    .filter(([from, to]) => from !== to)
    .map(([from, to]) =>
      run(`alter table ${quoted(after.name)} rename constraint ${quoted(from)} to ${quoted(to)}`),
    );
}

function renameTable(step: Extract<Step, { kind: "rename table" }>, before: Schema): ScriptPart[] {
  const table = tableNamed(before, step.table);
  return [
    run(`alter table ${quoted(step.table)} rename to ${quoted(step.to)}`),
    ...(table ? renameConstraints(table, { ...table, name: step.to }) : []),
  ];
}

function renameColumn(
  step: Extract<Step, { kind: "rename column" }>,
  before: Schema,
): ScriptPart[] {
  const table = tableNamed(before, step.table);
  const after = tableNamed(takeStep(before, step), step.table);
  return [
    run(
      `alter table ${quoted(step.table)} rename column ${quoted(step.column)} to ${quoted(step.to)}`,
    ),
    ...(table && after ? renameConstraints(table, after) : []),
  ];
}

function addTable(
  { table, restore }: Extract<Step, { kind: "add table" }>,
  before: Schema,
): ScriptPart[] {
  const there = new Set([...before.tables.map(({ name }) => name), table.name]);
  const name = quoted(table.name);
  const parts: ScriptPart[] = [];
  if (before.tables.length === 0) {
    parts.push(
      run(
        `create collation if not exists ${collation} (provider = icu, locale = 'und-u-ks-level2', deterministic = false)`,
      ),
    );
  }
  parts.push(run(createTable(table, there)), ...rowSecurity(table.name, table.columns));
  for (const index of table.indexes) parts.push(...makeIndex(table.name, table.columns, index));
  // References to this table from ones that were made before it.
  for (const other of referring(before, table)) {
    parts.push(
      run(`alter table ${quoted(other.table)} add ${foreignKey(other.table, other.column)}`),
    );
  }
  if (!restore) return parts;
  const file = keptTable(syntax, restore);
  const columns = table.columns.map((column) => quoted(column.name)).join(", ");
  const values = table.columns.map((column) => cast(quoted(column.name), column)).join(", ");
  const filled = run(`insert into ${name} (${columns}) select ${values} from ${file}`);
  const numbered = run(numbersGoOn(table.name));
  // Filled before references lead to it.
  const at =
    1 + parts.findIndex((part) => part.kind === "run" && part.sql.startsWith("create table"));
  parts.splice(at, 0, filled, ...(table.key.length === 1 ? [numbered] : []));
  return [{ kind: "bring back", file: restore, table: file }, ...parts];
}

/** Kept values are texts; what they were is known by the column. */
function cast(value: string, { type }: Pick<Column, "type">): string {
  return `${value}::${typeSql(type)}`;
}

function addColumn({
  table,
  column,
  fill,
  restore,
}: Extract<Step, { kind: "add column" }>): ScriptPart[] {
  const [goal, name] = [quoted(table), quoted(column.name)];
  const open: Column = { ...column, required: column.required && column.default !== undefined };
  const parts: ScriptPart[] = [run(`alter table ${goal} add column ${columnSql(open)}`)];
  if (fill) parts.push(run(`update ${goal} set ${name} = ${fillSql(fill)}`));
  if (restore) {
    const file = keptTable(syntax, restore);
    const id = quoted("id");
    parts.push(
      run(
        `update ${goal} as t set ${name} = ${cast(`k.${quoted("value")}`, column)} from ${file} as k where k.${id} = t.${id}`,
      ),
    );
    if (column.required && column.default === undefined) {
      parts.push({
        kind: "assert no rows",
        sentence: `rows of ${table} have no ${column.name}`,
        query: `select ${id}, null as ${quoted("value")} from ${goal} where ${name} is null`,
      });
    }
  }
  const finish = [
    column.required && !open.required && `alter column ${name} set not null`,
    checkConstraint(table, column) && `add ${checkConstraint(table, column)}`,
    column.references && `add ${foreignKey(table, column)}`,
  ].filter(Boolean);
  if (finish.length > 0) parts.push(run(`alter table ${goal} ${finish.join(", ")}`));
  parts.push(...rowSecurity(table, [column]));
  return restore
    ? [{ kind: "bring back", file: restore, table: keptTable(syntax, restore) }, ...parts]
    : parts;
}

/** A change of a column, with the indexes dropped and rebuilt that hold it in another way then. */
function indexedAround(
  step: ChangeColumn,
  before: Schema,
  parts: readonly ScriptPart[],
): ScriptPart[] {
  const table = tableNamed(before, step.table);
  const columns = table?.columns ?? [];
  const after = columns.map((column) => (column.name === step.to.name ? step.to : column));
  const other = (table?.indexes ?? []).filter(
    (index) => indexMethod(columns, index) !== indexMethod(after, index),
  );
  const changes = (change: typeof createIndex, as: readonly Column[]): ScriptPart[] =>
    other.flatMap((index) => {
      const sql = change(step.table, as, index);
      return sql ? [run(sql)] : [];
    });
  return [...changes(dropIndex, columns), ...parts, ...changes(createIndex, after)];
}

function changeColumn(step: ChangeColumn): ScriptPart[] {
  const { table, from, to, fill, keep, restore } = step;
  const [goal, name, id] = [quoted(table), quoted(to.name), quoted("id")];
  const x = `t.${name}`;
  const { value, refused, missing } = changedValue(syntax, x, step);
  const plainStep: ChangeColumn = { ...step };
  delete plainStep.fill;
  const bare = changedValue(syntax, name, plainStep).value;
  const parts: ScriptPart[] = [];
  const file = restore && keptTable(syntax, restore);
  const known = `t.${id} in (select s.${id} from ${quoted("levadura_same")} as s)`;
  if (restore && file) {
    const became = `k.${quoted("became")}::${typeSql(from.type)}`;
    parts.push(
      { kind: "bring back", file: restore, table: file },
      run(
        `create temp table ${quoted("levadura_same")} as select t.${id}, k.${quoted("value")} from ${goal} as t join ${file} as k on k.${id} = t.${id} where ${syntax.same(x, became)}`,
      ),
    );
  }
  const refuse = (sentence: string, condition: string) => {
    const query = `select t.${id}, ${x} as ${quoted("value")} from ${goal} as t where ${restore ? `not ${known} and (${condition})` : condition}`;
    parts.push({ kind: "assert no rows", sentence, query });
  };
  if (missing) refuse(`rows of ${table} have no ${to.name}`, missing);
  if (refused.length > 0) {
    const condition = refused.map((each) => `(${each})`).join(" or ");
    refuse(`rows of ${table} have a ${to.name} that is no longer allowed`, condition);
  }
  if (keep) {
    const query = `select t.${id}, ${x} as ${quoted("value")}, ${value} as ${quoted("became")} from ${goal} as t where ${keptRows(syntax, x, step, value)}`;
    parts.push({ kind: "keep", file: keep, table: goal, column: name, query });
  }
  const loose = [
    checkConstraint(table, from) && `drop constraint ${quoted(checkName(table, from.name))}`,
    from.default !== undefined && `alter column ${name} drop default`,
    from.required && `alter column ${name} drop not null`,
    from.references &&
      !alike(from.references, to.references) &&
      `drop constraint ${quoted(foreignKeyName(table, from.name))}`,
  ].filter(Boolean);
  if (loose.length > 0) parts.push(run(`alter table ${goal} ${loose.join(", ")}`));
  if (typeSql(from.type) !== typeSql(to.type)) {
    parts.push(
      run(`alter table ${goal} alter column ${name} type ${typeSql(to.type)} using ${bare}`),
    );
  } else if (bare !== name) {
    parts.push(run(`update ${goal} set ${name} = ${bare} where ${syntax.differs(bare, name)}`));
  }
  if (fill) parts.push(run(`update ${goal} set ${name} = ${fillSql(fill)} where ${name} is null`));
  if (restore) {
    parts.push(
      run(
        `update ${goal} as t set ${name} = ${cast(`s.${quoted("value")}`, to)} from ${quoted("levadura_same")} as s where s.${id} = t.${id}`,
      ),
      run(`drop table ${quoted("levadura_same")}`),
    );
  }
  const tight = [
    to.default !== undefined && `alter column ${name} set default ${literal(to.default)}`,
    to.required && `alter column ${name} set not null`,
    checkConstraint(table, to) && `add ${checkConstraint(table, to)}`,
    to.references && !alike(from.references, to.references) && `add ${foreignKey(table, to)}`,
  ].filter(Boolean);
  if (tight.length > 0) parts.push(run(`alter table ${goal} ${tight.join(", ")}`));
  return parts;
}
