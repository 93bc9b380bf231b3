import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { reportIn, reportParameters } from "../../formula/report.ts";
import { Problem } from "../../http/problem.ts";
import { refusalOf, runReport } from "../../store/report/run.ts";
import { reportColumns, reportLines } from "../../store/report/told.ts";
import { askedRows } from "./asked-rows.ts";

/** Answers with a report on the rows that a list finds; its parameters are those of the page. */
export async function reportJson(c: Context, scope: Scope, entity: Entity): Promise<Response> {
  const { searchParams: query } = new URL(c.req.url);
  const { messages } = scope;
  const others = new URLSearchParams([...query].filter(([name]) => !isOfReport(name)));
  const { request } = askedRows(scope, entity, others, []);
  const { result, troubles } = await runReport(scope, entity, request, reportIn(query));
  if (!result) {
    const wrong = troubles.map(({ text, complaint }) => ({
      parameter: text.slice(0, 80),
      detail: complaint.message,
    }));
    throw new Problem("query", messages.api.wrongQuery, wrong);
  }
  const refusal = refusalOf(scope, result);
  if (refusal) throw new Problem("query", refusal);
  const columns = reportColumns(result, messages.report.total);
  return c.json({
    dimensions: result.dimensions.map(({ label }) => label),
    across: result.across?.dimension.label ?? null,
    figures: result.figures.map(({ label }) => label),
    columns: columns.map(({ label, figures }) => ({ label: label ?? null, figures })),
    lines: reportLines(result, columns).map(({ group, depth, isWhole, columns: cells }) => ({
      depth,
      label: isWhole ? messages.report.total : group.label,
      keys: group.keys.map((key) => key ?? null),
      isWhole,
      values: cells.map(({ told }) => told.map(({ value }) => value ?? null)),
    })),
  });
}

function isOfReport(name: string): boolean {
  return (reportParameters as readonly string[]).includes(name) || name === "layout";
}
