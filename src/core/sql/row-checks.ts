import type { Step } from "../evolution/steps.ts";
import type { RowCheck } from "../model/model.ts";
import type { Risk } from "./dialect.ts";
import type { ScriptPart } from "./script.ts";
import type { Syntax } from "./syntax.ts";

/** A check as a line of a table, under a name by which it can be dropped; undefined where the database can't express it. */
export function rowCheckSql(
  { quoted, database }: Pick<Syntax, "quoted" | "database">,
  { name, sql }: RowCheck,
): string | undefined {
  const holds = sql[database];
  return holds === undefined ? undefined : `constraint ${quoted(name)} check (${holds})`;
}

/** The lines of all checks of a table. */
export function rowCheckLines(
  syntax: Pick<Syntax, "quoted" | "database">,
  checks: readonly RowCheck[] = [],
): string[] {
  return checks.map((check) => rowCheckSql(syntax, check)).filter((line) => line !== undefined);
}

type CheckStep = Extract<Step, { kind: "add check" | "drop check" }>;

/** Whether a step is about a check of whole rows. */
export function isCheck(step: Step): step is CheckStep {
  return step.kind === "add check" || step.kind === "drop check";
}

/** What adds or drops a check of a table that is altered where it is. */
export function changeCheck(syntax: Syntax, { kind, table, check }: CheckStep): ScriptPart[] {
  const line = rowCheckSql(syntax, check);
  if (line === undefined) return [];
  const change =
    kind === "add check" ? `add ${line}` : `drop constraint ${syntax.quoted(check.name)}`;
  return [{ kind: "run", sql: `alter table ${syntax.quoted(table)} ${change}` }];
}

/** The rows that violate a check which is added; `from` is where they come from. */
export function checkRisks(
  { quoted, database }: Syntax,
  { table, check }: CheckStep,
  from = quoted(table),
): Risk[] {
  const holds = check.sql[database];
  if (holds === undefined) return [];
  const value = quoted(check.columns[0] ?? "id");
  return [
    {
      kind: "blocking",
      table,
      sentence: `rows of ${table} violate: ${check.holds}`,
      query: `select ${quoted("id")}, ${value} as ${quoted("value")} from ${from} where not (${holds})`,
    },
  ];
}
