import { scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";
import type { Scope } from "../../access/scope.ts";
import { figureValue, type Group, type ReportResult } from "../../store/report/run.ts";
import { withGaps } from "./chart.tsx";
import { figureValueText } from "./figure-value.ts";

const [width, height, margin] = [220, 56, 4];

/** A report as one figure: what all rows come to, its way through the groups, and how the last one differs from the one before. */
export function Trend({
  scope,
  result,
  hrefOf,
}: {
  scope: Scope;
  result: ReportResult;
  hrefOf(group: Group): string | undefined;
}) {
  const { figures, whole } = result;
  const [figure] = figures;
  if (!figure) return null;
  const { messages } = scope;
  const all = figureValue(figure, whole.tally, 0);
  const groups = withGaps(scope, result);
  const values = groups.map((group) => Number(figureValue(figure, group.tally, 0) ?? 0));
  const [before, last] = groups.slice(-2);
  const [earlier = 0, later = 0] = values.slice(-2);
  const change = before && earlier !== 0 ? later / earlier - 1 : undefined;
  const along = scaleLinear([0, Math.max(1, groups.length - 1)], [margin, width - margin]);
  const up = scaleLinear(
    [Math.min(0, ...values), Math.max(0, ...values)],
    [height - margin, margin],
  );
  const x = (_: number, at: number) => Number(along(at).toFixed(1));
  const y = (value: number) => Number(up(value).toFixed(1));
  const isDrawn = groups.length > 1 && figure.type !== "date";
  return (
    <div class="trend">
      <a class="trend-figure" href={hrefOf(whole)}>
        {figureValueText(scope, figure, all) || "0"}
      </a>
      {isDrawn && (
        <svg class="trend-line" viewBox={`0 0 ${width} ${height}`} aria-hidden="true">
          <path class="trend-area" d={area<number>().x(x).y0(up(0)).y1(y)(values) ?? ""} />
          <path class="chart-line" data-line="1" d={line<number>().x(x).y(y)(values) ?? ""} />
        </svg>
      )}
      {isDrawn && last && before && (
        <p class="soft small">
          {messages.report.latest(last.label, figureValueText(scope, figure, later))}
          {change !== undefined &&
            ` · ${messages.report.changed(scope.format.change(change), before.label)}`}
        </p>
      )}
    </div>
  );
}
