import { scaleLinear } from "d3-scale";
import type { Scope } from "../../access/scope.ts";
import { figureValue, type ReportResult } from "../../store/report/run.ts";
import { figureValueText } from "./figure-value.ts";
import type { RowsOf } from "./rows-of.ts";
import { frame, Part, type Point, Ticks } from "./shapes.tsx";

/** Each group as a point: its first figure across, its second one up. */
export function Scatter({
  scope,
  result: { figures, whole },
  size: { width, height },
  hrefOf,
}: {
  scope: Scope;
  result: ReportResult;
  size: { width: number; height: number };
  hrefOf: RowsOf;
}) {
  const [across, upwards] = figures;
  if (!across || !upwards) return <p class="empty">{scope.messages.report.twoFigures}</p>;
  const points = whole.groups.flatMap((group) => {
    const [x, y] = [figureValue(across, group.tally, 0), figureValue(upwards, group.tally, 1)];
    if (typeof x !== "number" || typeof y !== "number") return [];
    const words = `${group.label}: ${figureValueText(scope, across, x)}, ${figureValueText(scope, upwards, y)}`;
    const point: Point = { value: y, words, href: hrefOf(group) };
    return [{ x, y, point }];
  });
  const extent = (values: number[]) => [Math.min(0, ...values), Math.max(0, ...values)];
  const along = scaleLinear(extent(points.map(({ x }) => x)), [
    frame.left,
    width - frame.right - 20,
  ]).nice();
  const up = scaleLinear(extent(points.map(({ y }) => y)), [
    height - frame.bottom,
    frame.top,
  ]).nice();
  const foot = height - frame.bottom;
  return (
    <figure class="chart">
      <figcaption>
        {across.label} → · {upwards.label} ↑
      </figcaption>
      <svg class="chart-area" viewBox={`0 0 ${width} ${height}`}>
        <title>{`${across.label}, ${upwards.label}`}</title>
        <Ticks up={up} width={width} text={(tick) => figureValueText(scope, upwards, tick)} />
        {along.ticks(5).map((tick) => (
          <>
            <line
              class="chart-grid"
              x1={along(tick).toFixed(1)}
              x2={along(tick).toFixed(1)}
              y1={frame.top}
              y2={foot}
            />
            <text
              class="chart-number"
              x={along(tick).toFixed(1)}
              y={foot + 20}
              text-anchor="middle"
            >
              {figureValueText(scope, across, tick)}
            </text>
          </>
        ))}
        {points.map(({ x, y, point }) => (
          <Part point={point}>
            <circle data-slice="1" cx={along(x).toFixed(1)} cy={up(y).toFixed(1)} r="6" />
          </Part>
        ))}
      </svg>
    </figure>
  );
}
