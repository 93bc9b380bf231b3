import type { Entity } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { reportParameters } from "../../formula/report.ts";
import { firstPage } from "../../store/list/request.ts";
import type { Group, ReportResult } from "../../store/report/run.ts";

/** Where the rows of a group of a report are; undefined where no address leads to them. */
export type RowsOf = (group: Group, across?: string) => string | undefined;

/** Leads from a group of a report to its rows: the list with a formula for them. */
export function rowsOf(
  { path }: Entity,
  query: URLSearchParams,
  result: ReportResult | undefined,
): RowsOf {
  const cleared = Object.fromEntries(reportParameters.map((name) => [name, undefined]));
  const before = query.get("only")?.trim();
  return (group, across) => {
    if (!result || group.keys.includes(undefined)) return undefined;
    const parts = group.keys.map((key, at) => result.dimensions[at]?.only(key ?? "") ?? "");
    if (across !== undefined && result.across) parts.push(result.across.dimension.only(across));
    const all = [...(before ? [before] : []), ...parts];
    const only = all.length === 1 ? all[0] : all.map((part) => `(${part})`).join(" and ");
    return withQuery(encodeURI(path), query, {
      ...cleared,
      ...firstPage,
      layout: undefined,
      only: only || undefined,
    });
  };
}
