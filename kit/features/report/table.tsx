import type { Scope } from "../../access/scope.ts";
import { figureValue, type Group, type ReportResult } from "../../store/report/run.ts";
import type { Tally } from "../../store/report/tally.ts";
import { WideTable } from "../../ui/wide-table.tsx";
import { figureValueText } from "./figure-value.ts";

/** A report as a table: groups within groups, what stands beside each other as columns, and all rows together at the end. */
export function ReportTable({
  scope,
  result,
  caption,
  hrefOf,
}: {
  scope: Scope;
  result: ReportResult;
  /** What the rows are, where they are in no groups. */
  caption: string;
  /** Where the rows of a group are; undefined where no address leads to them. */
  hrefOf(group: Group, across?: string): string | undefined;
}) {
  const { dimensions, figures, across, whole } = result;
  const words = scope.messages.report;
  const columns = across?.columns ?? [];
  const heading = dimensions.map(({ label, per }) =>
    per ? words.byPeriod(label, words.periods[per]) : label,
  );
  const told = (tally: Tally | undefined, href: string | undefined) =>
    figures.map((figure, at) => {
      const text = tally ? figureValueText(scope, figure, figureValue(figure, tally, at)) : "";
      return <td class="text-end">{href && text ? <a href={href}>{text}</a> : text}</td>;
    });
  const line = (group: Group, label: string) => (
    <>
      <th scope="row" class="report-label" data-depth={Math.max(0, group.keys.length - 1)}>
        {label}
      </th>
      {columns.map(({ key }) => told(group.across.get(key), hrefOf(group, key)))}
      {told(group.tally, hrefOf(group))}
    </>
  );
  const lines = (groups: readonly Group[]): unknown[] =>
    groups.flatMap((group) => [
      <tr class={group.groups.length > 0 ? "report-group" : undefined}>
        {line(group, group.label)}
      </tr>,
      ...lines(group.groups),
    ]);
  const several = figures.length > 1;
  return (
    <WideTable label={caption}>
      <table class="table report-table">
        <thead>
          <tr>
            <th scope="col" rowspan={across && several ? 2 : undefined}>
              {heading.join(" / ") || caption}
            </th>
            {columns.map(({ label }) => (
              <th scope="colgroup" class="text-end" colspan={several ? figures.length : undefined}>
                {label}
              </th>
            ))}
            {across ? (
              <th scope="colgroup" class="text-end" colspan={several ? figures.length : undefined}>
                {words.total}
              </th>
            ) : (
              figures.map(({ label }) => (
                <th scope="col" class="text-end">
                  {label}
                </th>
              ))
            )}
          </tr>
          {across && several && (
            <tr>
              {[...columns, undefined].map(() =>
                figures.map(({ label }) => (
                  <th scope="col" class="text-end">
                    {label}
                  </th>
                )),
              )}
            </tr>
          )}
        </thead>
        <tbody>{lines(whole.groups)}</tbody>
        <tfoot>
          <tr>{line(whole, words.total)}</tr>
        </tfoot>
      </table>
    </WideTable>
  );
}
