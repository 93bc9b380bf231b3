import type { Entity } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { reportParameters } from "../../formula/report.ts";
import { firstPage } from "../../store/list/request.ts";
import type { ReadyDimension } from "../../store/report/dimensions.ts";
import type { Group, ReportResult } from "../../store/report/run.ts";

/** Where the rows of a group of a report are; undefined where no address leads to them. */
export type RowsOf = (group: Group, across?: string) => string | undefined;

/** Leads from a group of a report to its rows: the list with a formula for them, or with filters. */
export function rowsOf(
  { path }: Entity,
  query: URLSearchParams,
  result: ReportResult | undefined,
): RowsOf {
  const cleared = Object.fromEntries(reportParameters.map((name) => [name, undefined]));
  const before = query.get("only")?.trim();
  return (group, across) => {
    if (!result || group.keys.includes(undefined)) return undefined;
    const chosen: [ReadyDimension, string][] = group.keys.flatMap((key, at) => {
      const dimension = result.dimensions[at];
      return dimension ? [[dimension, key ?? ""] as [ReadyDimension, string]] : [];
    });
    if (across !== undefined && result.across) chosen.push([result.across.dimension, across]);
    const next = new URLSearchParams(query);
    const parts: string[] = [];
    for (const [dimension, key] of chosen) {
      if (!dimension.filter) {
        parts.push(dimension.only(key));
        continue;
      }
      const filter = dimension.filter(key);
      if (!filter) return undefined;
      narrow(next, filter);
    }
    const all = [...(before ? [before] : []), ...parts];
    const only = all.length === 1 ? all[0] : all.map((part) => `(${part})`).join(" and ");
    return withQuery(encodeURI(path), next, {
      ...cleared,
      ...firstPage,
      layout: undefined,
      only: only || undefined,
    });
  };
}

/** Adds filters to those that there are: of two beginnings the later one counts, and of two ends the earlier one. */
function narrow(query: URLSearchParams, filter: Readonly<Record<string, string>>): void {
  for (const [name, value] of Object.entries(filter)) {
    const before = query.get(name);
    const isKept =
      before !== null &&
      ((name.endsWith(".from") && before > value) || (name.endsWith(".to") && before < value));
    if (!isKept) query.set(name, value);
  }
}
