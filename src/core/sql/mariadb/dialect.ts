import { quoted } from "../../../../kit/database/mariadb/literals.ts";
import { type Step, takeStep } from "../../evolution/steps.ts";
import { type Column, type Schema, type Table, tableNamed } from "../../schema/schema.ts";
import { alteringDialect, referring } from "../altering.ts";
import * as flows from "../data-moves.ts";
import type { Dialect } from "../dialect.ts";
import type { ScriptPart } from "../script.ts";
import { keptTable } from "../syntax.ts";
import { changeColumn } from "./change.ts";
import {
  columnSql,
  createTable,
  fillSql,
  foreignKey,
  foreignKeyName,
  hasOwnKey,
  indexSql,
  inUseColumn,
  inUseSql,
  isCovered,
  madeName,
  ownKey,
  typeSql,
} from "./columns.ts";
import { limits } from "./limits.ts";
import { syntax } from "./syntax.ts";

/** MariaDB: nearly everything can be altered in place, but each statement that does is a transaction of its own. */
export const mariadb: Dialect = alteringDialect({
  name: "mariadb",
  transactional: false,
  limits,
  syntax,
  typeSql,
  keptValue: (value) => value,
  renameTable,
  renameColumn,
  addTable,
  dropReference: (table, column) => `drop foreign key ${quoted(foreignKeyName(table, column))}`,
  addColumn,
  dropColumn,
  changeColumn: (step, before) => changeColumn(syntax, step, tableNamed(before, step.table)),
  changeIndex,
});

const run = (sql: string): ScriptPart => ({ kind: "run", sql });
const id = quoted("id");

/** Renaming what a reference is called needs no look at the rows. */
const unlooked = "set statement foreign_key_checks = 0 for ";

/** The index of a reference serves for one that a list is sorted by. */
function changeIndex(
  { kind, table, index }: Extract<Step, { kind: "add index" | "drop index" }>,
  before: Schema,
): ScriptPart[] {
  const columns = tableNamed(before, table)?.columns ?? [];
  if (isCovered(columns, index)) return [];
  const changes =
    kind === "add index"
      ? [index.inUse && `add column ${inUseSql(index)}`, `add ${indexSql(columns, index)}`]
      : [
          `drop key ${quoted(madeName(index.name))}`,
          index.inUse && `drop column ${quoted(inUseColumn(index))}`,
        ];
  return [run(`alter table ${quoted(table)} ${changes.filter(Boolean).join(", ")}`)];
}

/** References are called by their table and column, by which they are dropped. */
function renamedReference(
  table: Pick<Table, "name" | "key">,
  from: Column,
  after: string,
  to: Column,
): string[] {
  const name = quoted(foreignKeyName(table.name, from.name));
  const own = hasOwnKey(table, from);
  return [
    `drop foreign key ${name}`,
    ...(own ? [`drop key ${name}`, `add ${ownKey(after, to)}`] : []),
    `add ${foreignKey(after, to)}`,
  ];
}

function renameTable(step: Extract<Step, { kind: "rename table" }>, before: Schema): ScriptPart[] {
  const table = tableNamed(before, step.table);
  const after = tableNamed(takeStep(before, step), step.to);
  const references = (table?.columns ?? []).flatMap((column, at) => {
    const to = after?.columns[at];
    return table && to?.references ? renamedReference(table, column, step.to, to) : [];
  });
  const renamed = run(`alter table ${quoted(step.table)} rename to ${quoted(step.to)}`);
  return references.length === 0
    ? [renamed]
    : [renamed, run(`${unlooked}alter table ${quoted(step.to)}\n  ${references.join(",\n  ")}`)];
}

function renameColumn(
  step: Extract<Step, { kind: "rename column" }>,
  before: Schema,
): ScriptPart[] {
  const table = tableNamed(before, step.table);
  const from = table?.columns.find(({ name }) => name === step.column);
  if (!table || !from) return [];
  const to = { ...from, name: step.to };
  const change = `change column ${quoted(from.name)} ${columnSql(to)}`;
  if (!from.references) return [run(`alter table ${quoted(step.table)} ${change}`)];
  const clauses = [change, ...renamedReference(table, from, step.table, to)];
  return [run(`${unlooked}alter table ${quoted(step.table)}\n  ${clauses.join(",\n  ")}`)];
}

function addTable(
  { table, restore }: Extract<Step, { kind: "add table" }>,
  before: Schema,
): ScriptPart[] {
  const there = new Set([...before.tables.map(({ name }) => name), table.name]);
  const parts: ScriptPart[] = [run(createTable(table, there))];
  if (restore) {
    const file = keptTable(syntax, restore);
    const columns = table.columns.map((column) => quoted(column.name)).join(", ");
    const filled = run(
      `insert into ${quoted(table.name)} (${columns}) select ${columns} from ${file}`,
    );
    parts.unshift({ kind: "bring back", file: restore, table: file });
    parts.push(filled);
  }
  // References to this table from ones that were made before it.
  for (const other of referring(before, table)) {
    parts.push(
      run(`alter table ${quoted(other.table)} add ${foreignKey(other.table, other.column)}`),
    );
  }
  return parts;
}

function addColumn({
  table,
  column,
  fill,
  restore,
}: Extract<Step, { kind: "add column" }>): ScriptPart[] {
  const [goal, name] = [quoted(table), quoted(column.name)];
  const references = column.references
    ? [`add ${ownKey(table, column)}`, `add ${foreignKey(table, column)}`]
    : [];
  if (!fill && !restore) {
    return [
      run(`alter table ${goal} ${[`add column ${columnSql(column)}`, ...references].join(", ")}`),
    ];
  }
  const { checks: _, ...open } = {
    ...column,
    required: column.required && column.default !== undefined,
  };
  const parts: ScriptPart[] = [];
  if (restore) {
    const file = keptTable(syntax, restore);
    parts.push({ kind: "bring back", file: restore, table: file });
    if (column.required && column.default === undefined && !fill) {
      parts.push({
        kind: "assert no rows",
        sentence: `rows of ${table} have no ${column.name}`,
        query: `select t.${id}, null as ${quoted("value")} from ${goal} as t where not exists (select 1 from ${file} as k where k.${id} = t.${id} and k.${quoted("value")} is not null)`,
      });
    }
    parts.push(
      run(`alter table ${goal} add column ${columnSql(open)}`),
      run(
        `update ${goal} as t join ${file} as k on k.${id} = t.${id} set t.${name} = k.${quoted("value")}`,
      ),
    );
  } else parts.push(run(`alter table ${goal} add column ${columnSql(open)}`));
  if (fill) {
    const empty = restore ? ` where ${name} is null` : "";
    parts.push(run(`update ${goal} set ${name} = ${fillSql(fill)}${empty}`));
  }
  const whole = columnSql(column);
  const finish = [...(whole === columnSql(open) ? [] : [`modify column ${whole}`]), ...references];
  if (finish.length > 0) parts.push(run(`alter table ${goal} ${finish.join(", ")}`));
  return parts;
}

function dropColumn(step: Extract<Step, { kind: "drop column" }>): ScriptPart[] {
  const parts = flows.dropColumn(syntax, step);
  if (!step.column.references) return parts;
  const name = quoted(foreignKeyName(step.table, step.column.name));
  return [
    ...parts.slice(0, -1),
    run(
      `alter table ${quoted(step.table)} drop foreign key if exists ${name}, drop key if exists ${name}, drop column ${quoted(step.column.name)}`,
    ),
  ];
}
