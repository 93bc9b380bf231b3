import { describeStep, type Step, takeStep } from "../../evolution/steps.ts";
import type { Schema } from "../../schema/schema.ts";
import type { Dialect, Risk } from "../dialect.ts";
import { changeRisks, dropColumn, flow, keepTable, plainRisks, refusals } from "../flows.ts";
import { keptTable } from "../idiom.ts";
import type { Limits } from "../limits.ts";
import type { Part, Section } from "../script.ts";
import { columnSql, createIndex, createTable, fillSql, quoted } from "./columns.ts";
import { idiom } from "./idiom.ts";
import { needsRebuild, ofTable, rebuild } from "./rebuild.ts";

const limits: Limits = { name: "SQLite", columns: 2000, indexes: Number.POSITIVE_INFINITY };

/** SQLite: types are affinities with checks behind them, and what can't be altered is made anew. */
export const sqlite: Dialect = {
  name: "sqlite",
  transactional: true,
  sections,
  risks,
  rewritten,
  limits,
  quoted,
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
        made.push({ sentences: [describeStep(step)], parts: partsOf(step, schema) });
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

const run = (sql: string): Part => ({ kind: "run", sql });

function partsOf(step: Step, before: Schema): Part[] {
  return [...refusals(risks(step, before)), ...statementsOf(step, before)];
}

function statementsOf(step: Step, before: Schema): Part[] {
  switch (step.kind) {
    case "rename table":
      return [run(`alter table ${quoted(step.table)} rename to ${quoted(step.to)}`)];
    case "rename column":
      return [
        run(
          `alter table ${quoted(step.table)} rename column ${quoted(step.column)} to ${quoted(step.to)}`,
        ),
      ];
    case "add table":
      return addTable(step);
    case "drop table":
      return [
        keepTable(idiom, step.table, step.keep),
        run(`drop table ${quoted(step.table.name)}`),
      ];
    case "add column":
      return addColumn(step);
    case "drop column":
      return dropColumn(idiom, step);
    case "add index":
      return [run(createIndex(step.table, step.index))];
    case "drop index":
      return [run(`drop index ${quoted(step.index.name)}`)];
    case "change column":
      throw new Error("a column is changed by making its table anew");
    default:
      return flow(idiom, "sqlite", step, before);
  }
}

function addTable({ table, restore }: Extract<Step, { kind: "add table" }>): Part[] {
  const columns = table.columns.map(({ name }) => quoted(name)).join(", ");
  const parts = [
    run(createTable(table, table.name)),
    ...table.indexes.map((index) => run(createIndex(table.name, index))),
  ];
  if (!restore) return parts;
  const file = keptTable(idiom, restore);
  return [
    { kind: "bring back", file: restore, table: file },
    ...parts,
    run(`insert into ${quoted(table.name)} (${columns}) select ${columns} from ${file}`),
  ];
}

function addColumn({
  table,
  column,
  fill,
  restore,
}: Extract<Step, { kind: "add column" }>): Part[] {
  const [name, goal] = [quoted(column.name), quoted(table)];
  const parts = [run(`alter table ${goal} add column ${columnSql(column)}`)];
  if (fill) parts.push(run(`update ${goal} set ${name} = ${fillSql(fill)}`));
  if (!restore) return parts;
  const file = keptTable(idiom, restore);
  const id = quoted("id");
  return [
    { kind: "bring back", file: restore, table: file },
    ...parts,
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
      return changeRisks(step, rebuild([step], before).parts);
    }
    default:
      return plainRisks(idiom, step, before);
  }
}

/** The tables of which every row is written anew. */
function rewritten(steps: readonly Step[]): string[] {
  const tables = steps
    .filter((step) => needsRebuild(step) || step.kind === "drop column")
    .map((step) => ("table" in step && typeof step.table === "string" ? step.table : ""));
  return [...new Set(tables)];
}
