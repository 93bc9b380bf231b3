import type { Scope } from "../../access/scope.ts";
import { dayAfter, daysIn, periodOf } from "../../formula/periods.ts";
import type { Drawing } from "../../formula/report.ts";
import { figureValue, type Group, type ReportResult } from "../../store/report/run.ts";
import { nothing, type Tally } from "../../store/report/tally.ts";
import { Ring } from "../../ui/ring.tsx";
import { figureValueText } from "./figure-value.ts";
import { Scatter } from "./scatter.tsx";
import { Areas, Bars, type Category, Columns, type Drawn, Lines, type Point } from "./shapes.tsx";

/** The most series that are told apart by their colours. */
const mostSeries = 8;
/** The most groups that are drawn with the gaps between them. */
const mostDrawn = 1000;

/** How large a chart is drawn: over the whole page, or as one of several beside each other, where its words are as large. */
const sizes = { page: { width: 760, height: 340 }, narrow: { width: 430, height: 240 } };

/** The first figure of a report as a chart. Each part leads to its rows; the table of the report says the same in words. */
export function ReportChart({
  scope,
  result,
  drawing,
  narrow = false,
  hrefOf,
}: {
  scope: Scope;
  result: ReportResult;
  drawing: Exclude<Drawing, "table" | "trend">;
  narrow?: boolean;
  hrefOf(group: Group, across?: string): string | undefined;
}) {
  const { figures, across, whole } = result;
  const [figure] = figures;
  if (!figure || whole.groups.length === 0)
    return <p class="empty">{scope.messages.report.cantDraw}</p>;
  const columns = (across?.columns ?? []).slice(0, mostSeries);
  const point = (
    group: Group,
    tally: Tally | undefined,
    key?: string,
    series = "",
  ): Point | undefined => {
    const value = tally && figureValue(figure, tally, 0);
    if (typeof value !== "number") return undefined;
    const label = series ? `${group.label}, ${series}` : group.label;
    return {
      value,
      words: `${label}: ${figureValueText(scope, figure, value)}`,
      href: hrefOf(group, key),
    };
  };
  const groups =
    drawing === "columns" || drawing === "line" || drawing === "area"
      ? withGaps(scope, result)
      : whole.groups;
  const categories = groups.map((group): Category => {
    const points = across
      ? columns.map(({ key, label }) => point(group, group.across.get(key), key, label))
      : [point(group, group.tally)];
    const total = figureValue(figure, group.tally, 0);
    return { label: group.label, points, total: figureValueText(scope, figure, total) };
  });
  const size = narrow ? sizes.narrow : sizes.page;
  if (drawing === "scatter") {
    return <Scatter scope={scope} result={result} size={size} hrefOf={hrefOf} />;
  }
  if (drawing === "ring") {
    const slices = categories.flatMap(({ label }, at) => {
      const group = whole.groups[at] as Group;
      const value = figureValue(figure, group.tally, 0);
      const href = hrefOf(group);
      return typeof value === "number" && href ? [{ label, count: value, href }] : [];
    });
    return <Ring scope={scope} slices={slices} />;
  }
  const drawn: Drawn = {
    ...size,
    title: figure.label,
    categories,
    series: across ? columns.map(({ label }) => label) : [],
    text: (value) => figureValueText(scope, figure, value),
  };
  const Shape = { bars: Bars, columns: Columns, line: Lines, area: Areas }[drawing];
  return (
    <figure class="chart">
      {!narrow && <figcaption>{figure.label}</figcaption>}
      {drawn.series.length > 0 && (
        <ul class="chart-keys">
          {drawn.series.map((label, at) => (
            <li>
              <span class="ring-key" data-slice={at + 1} aria-hidden="true" /> {label}
            </li>
          ))}
        </ul>
      )}
      <Shape {...drawn} />
    </figure>
  );
}

/** The periods of a report without those left out in which nothing was, where they are in their order. */
export function withGaps(
  scope: Scope,
  { dimensions: [dimension], whole, figures }: ReportResult,
): readonly Group[] {
  const { groups } = whole;
  const per = dimension?.per;
  const keys = groups.map((group) => group.keys[0] ?? "");
  const inOrder = keys.every((key, at) => key !== "" && (at === 0 || key > (keys[at - 1] ?? "")));
  if (!per || !inOrder || groups.length === 0) return groups;
  const known = new Map(groups.map((group) => [group.keys[0], group]));
  const filled: Group[] = [];
  const last = keys.at(-1) ?? "";
  for (
    let key = keys[0] ?? "";
    key <= last && filled.length < mostDrawn;
    key = periodOf(per, dayAfter(daysIn(per, key).to, 1))
  ) {
    const empty = { rows: 0, of: figures.map(() => nothing) };
    filled.push(
      known.get(key) ?? {
        keys: [key],
        label: scope.format.period(per, key),
        tally: empty,
        across: new Map(),
        groups: [],
      },
    );
  }
  return known.size > filled.length ? groups : filled;
}
