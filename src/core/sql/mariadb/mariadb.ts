import { describeStep, type Step, takeStep } from "../../evolution/steps.ts";
import { type Column, type Schema, type Table, tableNamed } from "../../schema/schema.ts";
import type { Dialect, Risk } from "../dialect.ts";
import * as flows from "../flows.ts";
import { type Idiom, keptTable } from "../idiom.ts";
import type { Part, Section } from "../script.ts";
import { changeColumn } from "./change.ts";
import {
  checkSql,
  checksOf,
  columnSql,
  columnsOf,
  createTable,
  fillSql,
  foreignKey,
  foreignKeyName,
  hasOwnKey,
  indexSql,
  isCovered,
  literal,
  madeName,
  ownKey,
  quoted,
  thisMoment,
  typeSql,
} from "./columns.ts";
import { converted } from "./conversions.ts";
import { limits } from "./limits.ts";

/** MariaDB's way to say it. */
const idiom: Idiom = {
  quoted,
  madeName,
  literal,
  fill: fillSql,
  now: thisMoment,
  same: (one, other) => `(${one} <=> ${other})`,
  differs: (one, other) => `(not (binary (${one}) <=> binary (${other})))`,
  caseless: (text) => text,
  checksOf,
  check: checkSql,
  converted,
  aside: (table, query) => [
    run(`create table ${table} as select * from (${query}) as q limit 0`),
    run(`insert into ${table} ${query}`),
  ],
  insertMissing: ["insert ignore", ""],
};

/** MariaDB: nearly everything can be altered in place, but each statement that does is a transaction of its own. */
export const mariadb: Dialect = {
  name: "mariadb",
  transactional: false,
  sections,
  risks,
  rewritten,
  limits,
  quoted,
};

const run = (sql: string): Part => ({ kind: "run", sql });
const id = quoted("id");

/** Renaming what a reference is called needs no look at the rows. */
const unlooked = "set statement foreign_key_checks = 0 for ";

function sections(steps: readonly Step[], before: Schema): Section[] {
  let schema = before;
  return steps.map((step) => {
    // A change of a column says itself where in it rows are looked at.
    const refused = step.kind === "change column" ? [] : flows.refusals(risks(step, schema));
    const parts = [...refused, ...statementsOf(step, schema)];
    schema = takeStep(schema, step);
    return { sentences: [describeStep(step)], parts };
  });
}

function statementsOf(step: Step, before: Schema): Part[] {
  switch (step.kind) {
    case "rename table":
      return renameTable(step, before);
    case "rename column":
      return renameColumn(step, before);
    case "add table":
      return addTable(step, before);
    case "drop table":
      return dropTable(step, before);
    case "add column":
      return addColumn(step);
    case "drop column":
      return dropColumn(step);
    case "change column":
      return changeColumn(idiom, step, tableNamed(before, step.table));
    case "add index": {
      const columns = columnsOf(before, step.table);
      if (isCovered(columns, step.index)) return [];
      return [run(`alter table ${quoted(step.table)} add ${indexSql(columns, step.index)}`)];
    }
    case "drop index":
      if (isCovered(columnsOf(before, step.table), step.index)) return [];
      return [
        run(`alter table ${quoted(step.table)} drop key ${quoted(madeName(step.index.name))}`),
      ];
    case "texts to rows":
      return flows.textsToRows(idiom, step, before);
    case "rows to texts":
      return flows.rowsToTexts(idiom, step, before);
    case "reference to links":
      return flows.referenceToLinks(idiom, step);
    case "links to reference":
      return flows.linksToReference(idiom, step);
    case "carry":
      return flows.carry(idiom, step);
    case "own sql":
      return step.forward.mariadb === undefined
        ? [{ kind: "no way", about: step.about }]
        : [run(step.forward.mariadb.replace(/;\s*$/, ""))];
  }
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

function renameTable(step: Extract<Step, { kind: "rename table" }>, before: Schema): Part[] {
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

function renameColumn(step: Extract<Step, { kind: "rename column" }>, before: Schema): Part[] {
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
): Part[] {
  const there = new Set([...before.tables.map(({ name }) => name), table.name]);
  const parts: Part[] = [run(createTable(table, there))];
  if (restore) {
    const file = keptTable(idiom, restore);
    const columns = table.columns.map((column) => quoted(column.name)).join(", ");
    const filled = run(
      `insert into ${quoted(table.name)} (${columns}) select ${columns} from ${file}`,
    );
    parts.unshift({ kind: "bring back", file: restore, table: file });
    parts.push(filled);
  }
  // References to this table from ones that were made before it.
  for (const other of before.tables) {
    for (const column of other.columns) {
      if (column.references?.table === table.name) {
        parts.push(run(`alter table ${quoted(other.name)} add ${foreignKey(other.name, column)}`));
      }
    }
  }
  return parts;
}

function dropTable({ table, keep }: Extract<Step, { kind: "drop table" }>, before: Schema): Part[] {
  const referring = before.tables
    .filter(({ name }) => name !== table.name)
    .flatMap((other) =>
      other.columns
        .filter(({ references }) => references?.table === table.name)
        .map(({ name }) =>
          run(
            `alter table ${quoted(other.name)} drop foreign key ${quoted(foreignKeyName(other.name, name))}`,
          ),
        ),
    );
  return [
    flows.keepTable(idiom, table, keep),
    ...referring,
    run(`drop table ${quoted(table.name)}`),
  ];
}

function addColumn({
  table,
  column,
  fill,
  restore,
}: Extract<Step, { kind: "add column" }>): Part[] {
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
  const parts: Part[] = [];
  if (restore) {
    const file = keptTable(idiom, restore);
    parts.push({ kind: "bring back", file: restore, table: file });
    if (column.required && column.default === undefined && !fill) {
      parts.push({
        kind: "none may remain",
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

function dropColumn(step: Extract<Step, { kind: "drop column" }>): Part[] {
  const parts = flows.dropColumn(idiom, step);
  if (!step.column.references) return parts;
  const name = quoted(foreignKeyName(step.table, step.column.name));
  return [
    ...parts.slice(0, -1),
    run(
      `alter table ${quoted(step.table)} drop foreign key if exists ${name}, drop key if exists ${name}, drop column ${quoted(step.column.name)}`,
    ),
  ];
}

function risks(step: Step, before: Schema): Risk[] {
  if (step.kind !== "change column") return flows.steppedRisks(idiom, step, before);
  return flows.changeRisks(step, changeColumn(idiom, step, tableNamed(before, step.table)));
}

/** The tables of which every row is written anew: for another type. */
function rewritten(steps: readonly Step[]): string[] {
  const tables = steps.flatMap((step) =>
    step.kind === "change column" && typeSql(step.from.type) !== typeSql(step.to.type)
      ? [step.table]
      : [],
  );
  return [...new Set(tables)];
}
