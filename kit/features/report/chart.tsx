import { scaleBand, scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Scope } from "../../access/scope.ts";
import { dayAfter, daysIn, periodOf } from "../../formula/periods.ts";
import type { Drawing } from "../../formula/report.ts";
import { figureValue, type Group, type ReportResult } from "../../store/report/run.ts";
import { nothing, type Tally } from "../../store/report/tally.ts";
import { Ring } from "../../ui/ring.tsx";
import { figureValueText } from "./figure-value.ts";

/** The most series that are told apart by their colours. */
const mostSeries = 8;
/** The most groups that are drawn with the gaps between them. */
const mostDrawn = 1000;

/** How large a chart is drawn: over the whole page, or as one of several beside each other, where its words are as large. */
const sizes = { page: { width: 760, height: 340 }, narrow: { width: 430, height: 240 } };

/** One value of a chart, and where its rows are. */
interface Point {
  value: number;
  words: string;
  href: string | undefined;
}

/** A group of a chart: a value of each series. */
interface Category {
  label: string;
  points: readonly (Point | undefined)[];
  /** All of them together. */
  total: string;
}

interface Drawn {
  width: number;
  /** Of upright charts; lying bars are as high as their number needs. */
  height: number;
  title: string;
  categories: readonly Category[];
  series: readonly string[];
  /** A value as people read it. */
  text(value: number): string;
}

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
    drawing === "columns" || drawing === "line" ? withGaps(scope, result) : whole.groups;
  const categories = groups.map((group): Category => {
    const points = across
      ? columns.map(({ key, label }) => point(group, group.across.get(key), key, label))
      : [point(group, group.tally)];
    const total = figureValue(figure, group.tally, 0);
    return { label: group.label, points, total: figureValueText(scope, figure, total) };
  });
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
    ...(narrow ? sizes.narrow : sizes.page),
    title: figure.label,
    categories,
    series: across ? columns.map(({ label }) => label) : [],
    text: (value) => figureValueText(scope, figure, value),
  };
  const Shape = { bars: Bars, columns: Columns, line: Lines }[drawing];
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
  if (!per || !inOrder) return groups;
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

/** Some of a chart, which leads to its rows. */
function Part({ point, children }: { point: Point; children: unknown }) {
  const inner = (
    <>
      <title>{point.words}</title>
      {children}
    </>
  );
  return point.href ? (
    <a href={point.href} aria-label={point.words}>
      {inner}
    </a>
  ) : (
    <g>{inner}</g>
  );
}

/** The least and the largest of all values that are piled up, 0 among them. */
function extentOf(categories: readonly Category[], piled: boolean): [number, number] {
  const sums = categories.flatMap(({ points }) => {
    const values = points.map((point) => point?.value ?? 0);
    if (!piled) return values;
    const sum = (sign: number) =>
      values.filter((value) => value * sign > 0).reduce((one, other) => one + other, 0);
    return [sum(1), sum(-1)];
  });
  return [Math.min(0, ...sums), Math.max(0, ...sums)];
}

/** The values of a category on top of each other, each with where it begins and ends. */
function pileOf({ points }: Category) {
  let [above, below] = [0, 0];
  return points.flatMap((point, at) => {
    if (!point || point.value === 0) return [];
    const from = point.value > 0 ? above : below;
    const to = from + point.value;
    if (point.value > 0) above = to;
    else below = to;
    return [{ point, at, from: Math.min(from, to), to: Math.max(from, to) }];
  });
}

function shortened(text: string, most: number): string {
  return text.length > most ? `${text.slice(0, most - 1)}…` : text;
}

/** Lying bars, with their words to the left and their numbers behind them. */
function Bars({ title, categories, width }: Drawn) {
  const [left, right, step] = [width / 4, 90, 30];
  const height = categories.length * step + 8;
  const along = scaleLinear(extentOf(categories, true), [left, width - right]).nice();
  const down = scaleBand(
    categories.map((_, at) => String(at)),
    [4, height - 4],
  ).padding(0.25);
  return (
    <svg class="chart-area" viewBox={`0 0 ${width} ${height}`}>
      <title>{title}</title>
      {categories.map((category, at) => {
        const y = down(String(at)) ?? 0;
        const middle = y + down.bandwidth() / 2;
        const pile = pileOf(category);
        const end = Math.max(0, ...pile.map(({ to }) => to));
        return (
          <>
            <text class="chart-label" x={left - 8} y={middle} text-anchor="end">
              {shortened(category.label, Math.floor(left / 7))}
            </text>
            {pile.map(({ point, at: series, from, to }) => (
              <Part point={point}>
                <rect
                  data-slice={series + 1}
                  x={along(from).toFixed(1)}
                  y={y.toFixed(1)}
                  width={Math.max(1, along(to) - along(from)).toFixed(1)}
                  height={down.bandwidth().toFixed(1)}
                />
              </Part>
            ))}
            <text class="chart-number" x={(along(end) + 6).toFixed(1)} y={middle}>
              {category.total}
            </text>
          </>
        );
      })}
    </svg>
  );
}

const frame = { left: 70, right: 12, top: 10, bottom: 44 };

/** The lines and numbers behind upright columns and lines, and the words below them. */
function Axes({
  categories,
  width,
  height,
  up,
  middle,
  text,
}: Pick<Drawn, "categories" | "text" | "width" | "height"> & {
  up: ReturnType<typeof scaleLinear<number, number>>;
  middle(at: number): number;
}) {
  const every = Math.ceil(categories.length / Math.floor(width / 80));
  return (
    <>
      {up.ticks(5).map((tick) => (
        <>
          <line
            class="chart-grid"
            x1={frame.left}
            x2={width - frame.right}
            y1={up(tick).toFixed(1)}
            y2={up(tick).toFixed(1)}
          />
          <text class="chart-number" x={frame.left - 8} y={up(tick).toFixed(1)} text-anchor="end">
            {text(tick)}
          </text>
        </>
      ))}
      {categories.map(({ label }, at) =>
        at % every === 0 ? (
          <text
            class="chart-label"
            x={middle(at).toFixed(1)}
            y={height - frame.bottom + 20}
            text-anchor="middle"
          >
            {shortened(label, 12)}
          </text>
        ) : null,
      )}
    </>
  );
}

/** Upright columns; those of several series on top of each other. */
function Columns({ title, categories, text, width, height }: Drawn) {
  const up = scaleLinear(extentOf(categories, true), [height - frame.bottom, frame.top]).nice();
  const along = scaleBand(
    categories.map((_, at) => String(at)),
    [frame.left, width - frame.right],
  ).padding(0.2);
  const x = (at: number) => along(String(at)) ?? 0;
  return (
    <svg class="chart-area" viewBox={`0 0 ${width} ${height}`}>
      <title>{title}</title>
      <Axes
        categories={categories}
        width={width}
        height={height}
        up={up}
        middle={(at) => x(at) + along.bandwidth() / 2}
        text={text}
      />
      {categories.flatMap((category, at) =>
        pileOf(category).map(({ point, at: series, from, to }) => (
          <Part point={point}>
            <rect
              data-slice={series + 1}
              x={x(at).toFixed(1)}
              y={up(to).toFixed(1)}
              width={along.bandwidth().toFixed(1)}
              height={Math.max(1, up(from) - up(to)).toFixed(1)}
            />
          </Part>
        )),
      )}
    </svg>
  );
}

/** A line for each series, with a point for each value. */
function Lines({ title, categories, series, text, width, height }: Drawn) {
  const up = scaleLinear(extentOf(categories, false), [height - frame.bottom, frame.top]).nice();
  const along = scaleLinear(
    [0, Math.max(1, categories.length - 1)],
    [frame.left + 20, width - frame.right - 20],
  );
  const shapes = Array.from({ length: Math.max(1, series.length) }, (_, at) => {
    const draw = line<Category>()
      .defined(({ points }) => points[at] !== undefined)
      .x((_, place) => Number(along(place).toFixed(1)))
      .y(({ points }) => Number(up(points[at]?.value ?? 0).toFixed(1)));
    return draw([...categories]) ?? "";
  });
  return (
    <svg class="chart-area" viewBox={`0 0 ${width} ${height}`}>
      <title>{title}</title>
      <Axes
        categories={categories}
        width={width}
        height={height}
        up={up}
        middle={(at) => along(at)}
        text={text}
      />
      {shapes.map((path, at) => (
        <path class="chart-line" data-line={at + 1} d={path} />
      ))}
      {categories.flatMap(({ points }, place) =>
        points.flatMap((point, at) =>
          point
            ? [
                <Part point={point}>
                  <circle
                    data-slice={at + 1}
                    cx={along(place).toFixed(1)}
                    cy={up(point.value).toFixed(1)}
                    r="4"
                  />
                </Part>,
              ]
            : [],
        ),
      )}
    </svg>
  );
}
