import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { firstPage, type ListRequest } from "../../store/list/request.ts";
import { reportIn, reportParameters } from "../../store/report/report.ts";
import { type Group, mostRows, type ReportResult, runReport } from "../../store/report/run.ts";
import { ReportBuilder } from "./builder.tsx";
import { ReportChart } from "./chart.tsx";
import { ReportTable } from "./table.tsx";

/** The rows of a list as a report: the form in which it is put together, and what it came to. */
export async function reportOf(scope: Scope, entity: Entity, request: ListRequest) {
  const { messages } = scope;
  const { query } = request;
  const report = reportIn(query);
  const { result, troubles } = await runReport(scope, entity, request, report);
  const hrefOf = rowsOf(entity, query, result);
  const caption = scope.namesOf(entity).headings;
  return (
    <div class="report">
      <details open={report.groups.length === 0 || troubles.length > 0}>
        <summary>{messages.report.change}</summary>
        <ReportBuilder
          scope={scope}
          entity={entity}
          report={report}
          query={query}
          troubles={troubles}
        />
      </details>
      {troubles.map(({ text, complaint }) => (
        <p class="alert alert-warning" role="alert">
          <code>{text}</code>: {complaint.message}
          {complaint.help && <> ({complaint.help})</>}
        </p>
      ))}
      {result?.tooMany && (
        <p class="alert alert-warning" role="alert">
          {messages.report.tooMany(scope.format.number(mostRows))}
        </p>
      )}
      {result && !result.tooMany && report.drawn !== "table" && (
        <ReportChart scope={scope} result={result} drawing={report.drawn} hrefOf={hrefOf} />
      )}
      {result &&
        !result.tooMany &&
        (report.drawn === "table" ? (
          <ReportTable scope={scope} result={result} caption={caption} hrefOf={hrefOf} />
        ) : (
          <details class="report-words">
            <summary>{messages.report.asTable}</summary>
            <ReportTable scope={scope} result={result} caption={caption} hrefOf={hrefOf} />
          </details>
        ))}
    </div>
  );
}

/** Leads from a group of a report to its rows: the list with a formula for them. */
function rowsOf({ path }: Entity, query: URLSearchParams, result: ReportResult | undefined) {
  const cleared = Object.fromEntries(reportParameters.map((name) => [name, undefined]));
  const before = query.get("only")?.trim();
  return (group: Group, across?: string): string | undefined => {
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
