import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { inSentence } from "../../entity/label.ts";
import { type Complaint, toldComplaint } from "../../formula/complaint.ts";
import { type Drawing, type Report, reportIn } from "../../formula/report.ts";
import { asFormula } from "../../store/asked-formulas.ts";
import type { ListRequest } from "../../store/list/request.ts";
import { formulaLabel } from "../../store/report/dimensions.ts";
import type { ReadyFigure } from "../../store/report/figures.ts";
import { type ReportResult, readyReport, refusalOf, runReport } from "../../store/report/run.ts";
import { AskedForm } from "./asked.tsx";
import { ReportBuilder } from "./builder.tsx";
import { ReportChart } from "./chart.tsx";
import { type RowsOf, rowsOf } from "./rows-of.ts";
import { ReportTable } from "./table.tsx";
import { Trend } from "./trend.tsx";

/** The rows of a list as a report: the form in which it is put together, and what it came to. */
export async function reportOf(scope: Scope, entity: Entity, request: ListRequest) {
  const { messages } = scope;
  const { query } = request;
  const report = reportIn(query);
  const { result, troubles } = await runReport(scope, entity, request, report);
  const refusal = result && refusalOf(scope, result);
  const hrefOf = rowsOf(entity, query, result);
  return (
    <div class="report">
      {report.ask && (await AskedForm({ scope, entity, asked: report.ask, query }))}
      {!scope.embedded && (
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
      )}
      {troubles.map(({ text, complaint }) => {
        const { message, help } = toldComplaint(complaint, messages.formulas);
        return (
          <p class="alert alert-warning" role="alert">
            <MarkedFormula text={text} at={complaint.at} />: {message}
            {help && <> ({help})</>}
          </p>
        );
      })}
      {refusal && (
        <p class="alert alert-warning" role="alert">
          {refusal}
        </p>
      )}
      {result && !refusal && drawnReport(scope, entity, result, { drawn: report.drawn, hrefOf })}
    </div>
  );
}

/** A formula as it was typed, with what is wrong in it marked. */
function MarkedFormula({ text, at }: { text: string; at: Complaint["at"] }) {
  // Places are counted in the formula with its sign before it.
  const before = asFormula(text).length - text.length;
  const [start, end] = [at.start, at.end].map((place) => Math.max(0, place - before));
  return (
    <code>
      {text.slice(0, start)}
      <mark>{text.slice(start, end) || "…"}</mark>
      {text.slice(end)}
    </code>
  );
}

/** What a report came to, as it is drawn; charts with the same as a table, where there is room for it. */
export function drawnReport(
  scope: Scope,
  entity: Entity,
  result: ReportResult,
  { drawn, hrefOf, narrow = false }: { drawn: Drawing; hrefOf: RowsOf; narrow?: boolean },
) {
  const caption = scope.namesOf(entity).headings;
  const table = <ReportTable scope={scope} result={result} caption={caption} hrefOf={hrefOf} />;
  if (drawn === "table") return table;
  const picture =
    drawn === "trend" ? (
      <Trend scope={scope} result={result} hrefOf={hrefOf} />
    ) : (
      <ReportChart scope={scope} result={result} drawing={drawn} hrefOf={hrefOf} narrow={narrow} />
    );
  if (narrow) return picture;
  return (
    <>
      {picture}
      <details class="report-words">
        <summary>{scope.messages.report.asTable}</summary>
        {table}
      </details>
    </>
  );
}

/** What a report is called that has no name: its first figure, and by what it is told. */
export function reportTitle(scope: Scope, entity: Entity, report: Report): string {
  const { messages } = scope;
  const { dimensions, across, figures } = readyReport(scope, entity, report);
  const [figure] = figures;
  const by = [...dimensions, ...(across ? [across] : [])].map(({ label, per, isMonth }) => {
    if (per) return messages.report.periods[per];
    return isMonth ? messages.report.ofYear : messages.report.perEach(lastPart(label));
  });
  const what = figure ? figureTitle(scope, entity, figure) : scope.namesOf(entity).headings;
  return [what, ...by].join(" ");
}

/** A sum is called by what is added up, as people say it. */
function figureTitle(scope: Scope, entity: Entity, { figure, label }: ReadyFigure): string {
  if (figure.kind === "count") return scope.namesOf(entity).headings;
  return figure.kind === "sum" ? formulaLabel(scope, entity, figure.of) : label;
}

/** `apiary` of `Hive · Apiary`. */
function lastPart(label: string): string {
  return inSentence(label.split(" · ").at(-1) ?? label);
}
