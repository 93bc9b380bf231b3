import type { Scope } from "../../access/scope.ts";
import type { ReportResult } from "../../store/report/run.ts";
import { type ReportLine, reportColumns, reportLines } from "../../store/report/told.ts";
import { WideTable } from "../../ui/wide-table.tsx";
import { toldText } from "./figure-value.ts";
import type { RowsOf } from "./rows-of.ts";

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
  hrefOf: RowsOf;
}) {
  const { dimensions, figures, across, mark } = result;
  const words = scope.messages.report;
  const columns = reportColumns(result, words.total);
  const heading = dimensions.map(({ label, per }) =>
    per ? words.byPeriod(label, words.periods[per]) : label,
  );
  const why = mark && words.marked[mark.kind](scope.format.number(mark.value));
  const shown = ({ group, depth, isWhole, isMarked, columns }: ReportLine) => (
    <tr
      class={group.groups.length > 0 && !isWhole ? "report-group" : undefined}
      data-color={isMarked ? "pink" : undefined}
    >
      <th scope="row" class="report-label" data-depth={depth}>
        {isWhole ? words.total : group.label}
        {isMarked && <span class="visually-hidden"> ({why})</span>}
      </th>
      {columns.map(({ column, told, isMarked: isOver }) =>
        told.map((each, at) => {
          const text = toldText(scope, each);
          const href = text ? hrefOf(group, column.key) : undefined;
          const isCell = isOver && column.figures[at] === mark?.figure;
          return (
            <td class="text-end" data-color={isCell ? "pink" : undefined}>
              {href ? <a href={href}>{text}</a> : text}
              {isCell && <span class="visually-hidden"> ({why})</span>}
            </td>
          );
        }),
      )}
    </tr>
  );
  const lines = reportLines(result, columns);
  const several = figures.length > 1;
  return (
    <WideTable label={caption}>
      <table class="table report-table">
        <thead>
          <tr>
            <th scope="col" rowspan={across && several ? 2 : undefined}>
              {heading.join(" / ") || caption}
            </th>
            {across
              ? columns.map(({ label, figures }) => (
                  <th
                    scope="colgroup"
                    class="text-end"
                    colspan={several ? figures.length : undefined}
                  >
                    {label}
                  </th>
                ))
              : figures.map(({ label }) => (
                  <th scope="col" class="text-end">
                    {label}
                  </th>
                ))}
          </tr>
          {across && several && (
            <tr>
              {columns.map((column) =>
                column.figures.map((at) => (
                  <th scope="col" class="text-end">
                    {figures[at]?.label}
                  </th>
                )),
              )}
            </tr>
          )}
        </thead>
        <tbody>{lines.filter(({ isWhole }) => !isWhole).map(shown)}</tbody>
        <tfoot>{lines.filter(({ isWhole }) => isWhole).map(shown)}</tfoot>
      </table>
    </WideTable>
  );
}
