import { literal, quoted } from "../../../../kit/database/sqlite/literals.ts";
import { orderColumn } from "../../../../kit/database/sqlite/text-order.ts";
import { isAscii } from "../../../../kit/formula/ascii.ts";
import { describeStep, type Step, takeStep } from "../../evolution/steps.ts";
import { type Schema, tableNamed } from "../../schema/schema.ts";
import { changeRisks, dropColumn, flow, keepTable, plainRisks, refusals } from "../data-moves.ts";
import type { Dialect, Risk } from "../dialect.ts";
import { followRowOwners } from "../own-tables.ts";
import { isCheck } from "../row-checks.ts";
import type { ScriptPart, Section } from "../script.ts";
import { keptTable } from "../syntax.ts";
import { columnSql, createIndex, createTable, fillSql, orderColumnSql } from "./columns.ts";
import { limits } from "./limits.ts";
import { fillOrder, isOrdered, orderTriggers } from "./ordering.ts";
import { needsRebuild, ofTable, rebuild } from "./rebuild.ts";
import { syntax } from "./syntax.ts";
import { dropTriggers, triggersOf } from "./triggers.ts";
import { dropWords, fillWords } from "./words.ts";

/** SQLite: types are affinities with checks behind them, and what can't be altered is rebuilt. */
export const sqlite: Dialect = {
  name: "sqlite",
  transactional: true,
  sections,
  risks,
  rewritten,
  limits,
  quoted,
  literal,
  keptValue: (value) => value,
};

function sections(steps: readonly Step[], before: Schema): Section[] {
  const made: Section[] = [];
  let schema = before;
  for (const group of grouped(steps)) {
    const [first] = group;
    if (!first) continue;
    if (group.some(needsRebuild)) made.push(rebuild(group.filter(ofTable), schema));
    else {
      for (const step of group) {
        // Checks that SQLite can't express are left out.
        if (!isCheck(step)) {
          made.push({ sentences: [describeStep(step)], parts: partsOf(step, schema) });
        }
        schema = takeStep(schema, step);
      }
      continue;
    }
    schema = group.reduce(takeStep, schema);
  }
  return made;
}

/** Steps that one pass over a table can take, together. */
function grouped(steps: readonly Step[]): Step[][] {
  const groups: Step[][] = [];
  for (const step of steps) {
    const last = groups.at(-1);
    const together = last?.[0] && ofTable(last[0]) && ofTable(step) && last[0].table === step.table;
    if (together && !addsAgain(step, last)) last.push(step);
    else groups.push([step]);
  }
  return groups;
}

/** Whether a step adds a column that one before it dropped. */
function addsAgain(step: Step, group: readonly Step[]): boolean {
  return (
    step.kind === "add column" &&
    group.some((other) => other.kind === "drop column" && other.column.name === step.column.name)
  );
}

const run = (sql: string): ScriptPart => ({ kind: "run", sql });

function partsOf(step: Step, before: Schema): ScriptPart[] {
  return [
    ...refusals(risks(step, before)),
    ...statementsOf(step, before),
    ...followRowOwners(literal, step),
  ];
}

function statementsOf(step: Step, before: Schema): ScriptPart[] {
  switch (step.kind) {
    case "rename table":
    case "rename column":
    case "add column":
    case "drop column":
      return withTriggers(step, before);
    case "add table":
      return addTable(step);
    case "drop table":
      return [
        keepTable(syntax, step.table, step.keep),
        ...step.table.indexes
          .filter(({ words }) => words)
          .flatMap((index) => dropWords(index).map(run)),
        run(`drop table ${quoted(step.table.name)}`),
      ];
    case "add index": {
      const table = tableNamed(before, step.table);
      if (!table) return [];
      const { index } = step;
      const made = createIndex(table, index);
      return [...made, ...(index.words ? [fillWords(table, index)] : [])].map(run);
    }
    case "drop index": {
      const { index } = step;
      return (index.words ? dropWords(index) : [`drop index ${quoted(index.name)}`]).map(run);
    }
    case "change column":
    case "add check":
    case "drop check":
      throw new Error("that is done by rebuilding the table");
    default:
      return flow(syntax, "sqlite", step, before);
  }
}

type Alteration = Extract<
  Step,
  { kind: "rename table" | "rename column" | "add column" | "drop column" }
>;

/** A change to a table as it is, for which the triggers that order its texts are rebuilt where they speak of it. */
function withTriggers(step: Alteration, before: Schema): ScriptPart[] {
  const name = step.kind === "rename table" ? step.to : step.table;
  const old = tableNamed(before, step.table);
  const goal = tableNamed(takeStep(before, step), name);
  const [gone, made] = [old, goal].map((table) => (table ? triggersOf(table) : [])) as [
    string[],
    string[],
  ];
  if (gone.join() === made.join()) {
    return [...alteration(step, before), ...(step.kind === "add column" ? fillColumn(step) : [])];
  }
  return [
    ...(old ? dropTriggers(old).map(run) : []),
    ...alteration(step, before),
    ...made.map(run),
    ...(step.kind === "add column" ? fillColumn(step) : []),
  ];
}

function alteration(step: Alteration, before: Schema): ScriptPart[] {
  const table = `alter table ${quoted(step.table)}`;
  switch (step.kind) {
    case "rename table":
      return [run(`${table} rename to ${quoted(step.to)}`)];
    case "rename column": {
      const column = tableNamed(before, step.table)?.columns.find(
        ({ name }) => name === step.column,
      );
      const names = [[step.column, step.to] as const];
      if (column && isOrdered(column)) names.push([orderColumn(step.column), orderColumn(step.to)]);
      return names.map(([from, to]) =>
        run(`${table} rename column ${quoted(from)} to ${quoted(to)}`),
      );
    }
    case "add column": {
      const lines = [columnSql(step.column)];
      if (isOrdered(step.column)) lines.push(orderColumnSql(step.column.name));
      return lines.map((line) => run(`${table} add column ${line}`));
    }
    case "drop column": {
      const beside = isOrdered(step.column)
        ? [run(`${table} drop column ${quoted(orderColumn(step.column.name))}`)]
        : [];
      return [...dropColumn(syntax, step), ...beside];
    }
  }
}

function addTable({ table, restore }: Extract<Step, { kind: "add table" }>): ScriptPart[] {
  const columns = table.columns.map(({ name }) => quoted(name)).join(", ");
  const parts = [
    run(createTable(table, table.name)),
    ...table.indexes.flatMap((index) => createIndex(table, index).map(run)),
    ...orderTriggers(table).map(run),
  ];
  if (!restore) return parts;
  const file = keptTable(syntax, restore);
  return [
    { kind: "bring back", file: restore, table: file },
    ...parts,
    run(`insert into ${quoted(table.name)} (${columns}) select ${columns} from ${file}`),
  ];
}

/** What the existing rows get in a new column. */
function fillColumn({
  table,
  column,
  fill,
  restore,
}: Extract<Step, { kind: "add column" }>): ScriptPart[] {
  const [name, goal, id] = [quoted(column.name), quoted(table), quoted("id")];
  const parts: ScriptPart[] = [];
  // A default is written without firing a trigger.
  if (isOrdered(column) && typeof column.default === "string" && !isAscii(column.default)) {
    parts.push(...fillOrder(table, [column.name]).map(run));
  }
  if (fill) parts.push(run(`update ${goal} set ${name} = ${fillSql(fill)}`));
  if (!restore) return parts;
  const file = keptTable(syntax, restore);
  return [
    ...parts,
    { kind: "bring back", file: restore, table: file },
    run(
      `update ${goal} set ${name} = k.${quoted("value")} from ${file} as k where k.${id} = ${goal}.${id}`,
    ),
  ];
}

function risks(step: Step, before: Schema): Risk[] {
  switch (step.kind) {
    case "add column":
    case "change column": {
      if (!needsRebuild(step)) return [];
      return changeRisks(syntax, step, rebuild([step], before).parts);
    }
    default:
      return plainRisks(syntax, step, before);
  }
}

/** The tables of which every row is rewritten. */
function rewritten(steps: readonly Step[]): string[] {
  const tables = steps
    .filter((step) => needsRebuild(step) || step.kind === "drop column")
    .map((step) => ("table" in step && typeof step.table === "string" ? step.table : ""));
  return [...new Set(tables)];
}
