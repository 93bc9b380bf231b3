import { describeStep, type Step, takeStep } from "../evolution/steps.ts";
import type { ColumnType } from "../fields/storage.ts";
import type { Schema, Table } from "../schema/schema.ts";
import * as flows from "./data-moves.ts";
import type { Dialect } from "./dialect.ts";
import { followRowOwners } from "./own-tables.ts";
import { changeCheck, isCheck } from "./row-checks.ts";
import type { ScriptPart } from "./script.ts";
import type { Syntax } from "./syntax.ts";

type Of<Kind extends Step["kind"]> = Extract<Step, { kind: Kind }>;

/** What a database that alters tables where they are does for each kind of step that concerns one. */
export interface Alterations
  extends Pick<Dialect, "name" | "transactional" | "limits" | "numbersGoOn"> {
  syntax: Syntax;
  typeSql(type: ColumnType): string;
  keptValue: Dialect["keptValue"];
  renameTable(step: Of<"rename table">, before: Schema): ScriptPart[];
  renameColumn(step: Of<"rename column">, before: Schema): ScriptPart[];
  addTable(step: Of<"add table">, before: Schema): ScriptPart[];
  /** What takes a reference away, after `alter table`. */
  dropReference(table: string, column: string): string;
  addColumn(step: Of<"add column">, before: Schema): ScriptPart[];
  dropColumn(step: Of<"drop column">): ScriptPart[];
  changeColumn(step: Of<"change column">, before: Schema): ScriptPart[];
  changeIndex(step: Of<"add index"> | Of<"drop index">, before: Schema): ScriptPart[];
}

/** A dialect that takes one step after the other, and looks first whether rows violate it. */
export function alteringDialect(own: Alterations): Dialect {
  const { name, transactional, limits, syntax, typeSql } = own;
  const risks: Dialect["risks"] = (step, before) =>
    step.kind === "change column"
      ? flows.changeRisks(syntax, step, own.changeColumn(step, before))
      : flows.steppedRisks(syntax, step, before);
  return {
    name,
    transactional,
    limits,
    quoted: syntax.quoted,
    literal: syntax.literal,
    keptValue: own.keptValue,
    ...(own.numbersGoOn && { numbersGoOn: own.numbersGoOn }),
    risks,
    sections: (steps, before) => {
      let schema = before;
      return steps.flatMap((step) => {
        // A change of a column says itself where in it rows are looked at.
        const refused = step.kind === "change column" ? [] : flows.refusals(risks(step, schema));
        const parts = [
          ...refused,
          ...alter(own, step, schema),
          ...followRowOwners(syntax.literal, step),
        ];
        schema = takeStep(schema, step);
        // Checks that the database can't express are left out.
        return parts.length === 0 && isCheck(step)
          ? []
          : [{ sentences: [describeStep(step)], parts }];
      });
    },
    rewritten: (steps) => {
      const tables = steps.flatMap((step) =>
        step.kind === "change column" && typeSql(step.from.type) !== typeSql(step.to.type)
          ? [step.table]
          : [],
      );
      return [...new Set(tables)];
    },
  };
}

function alter(own: Alterations, step: Step, before: Schema): ScriptPart[] {
  switch (step.kind) {
    case "rename table":
      return own.renameTable(step, before);
    case "rename column":
      return own.renameColumn(step, before);
    case "add table":
      return own.addTable(step, before);
    case "drop table":
      return dropTable(own, step, before);
    case "add column":
      return own.addColumn(step, before);
    case "drop column":
      return own.dropColumn(step);
    case "change column":
      return own.changeColumn(step, before);
    case "add index":
    case "drop index":
      return own.changeIndex(step, before);
    case "add check":
    case "drop check":
      return changeCheck(own.syntax, step);
    default:
      return flows.flow(own.syntax, own.name, step, before);
  }
}

/** The references to a table, in those that have them. */
export function referring({ tables }: Schema, { name }: Table) {
  return tables
    .filter((table) => table.name !== name)
    .flatMap((table) =>
      table.columns
        .filter(({ references }) => references?.table === name)
        .map((column) => ({ table: table.name, column })),
    );
}

function dropTable(
  { syntax, dropReference }: Alterations,
  { table, keep }: Of<"drop table">,
  before: Schema,
): ScriptPart[] {
  const { quoted } = syntax;
  return [
    flows.keepTable(syntax, table, keep),
    ...referring(before, table).map(
      (each): ScriptPart => ({
        kind: "run",
        sql: `alter table ${quoted(each.table)} ${dropReference(each.table, each.column.name)}`,
      }),
    ),
    { kind: "run", sql: `drop table ${quoted(table.name)}` },
  ];
}
