import { scaleBand, scaleLinear } from "d3-scale";
import { area, line } from "d3-shape";

/** One value of a chart, and where its rows are. */
export interface Point {
  value: number;
  words: string;
  href: string | undefined;
}

/** A group of a chart: a value of each series. */
export interface Category {
  label: string;
  points: readonly (Point | undefined)[];
  /** All of them together. */
  total: string;
}

/** A chart, before it is drawn. */
export interface Drawn {
  width: number;
  /** Of upright charts; lying bars are as high as their number needs. */
  height: number;
  title: string;
  categories: readonly Category[];
  series: readonly string[];
  /** A value as people read it. */
  text(value: number): string;
}

/** Some of a chart, which leads to its rows. */
export function Part({ point, children }: { point: Point; children: unknown }) {
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
export function Bars({ title, categories, width }: Drawn) {
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

export const frame = { left: 70, right: 12, top: 10, bottom: 44 };

/** Lines across a chart at round numbers, with these beside them. */
export function Ticks({
  up,
  width,
  text,
}: Pick<Drawn, "width" | "text"> & { up: ReturnType<typeof scaleLinear<number, number>> }) {
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
    </>
  );
}

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
      <Ticks up={up} width={width} text={text} />
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
export function Columns({ title, categories, text, width, height }: Drawn) {
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

/** Places from left to right, and values from the bottom up. */
function scalesOf({ categories, width, height }: Drawn, piled: boolean) {
  const up = scaleLinear(extentOf(categories, piled), [height - frame.bottom, frame.top]).nice();
  const along = scaleLinear(
    [0, Math.max(1, categories.length - 1)],
    [frame.left + 20, width - frame.right - 20],
  );
  return {
    up,
    x: (place: number) => Number(along(place).toFixed(1)),
    y: (value: number) => Number(up(value).toFixed(1)),
  };
}

/** What goes through the points of each series, with a point for each value. */
function Through({
  drawn,
  scales: { up, x, y },
  heightOf,
  children,
}: {
  drawn: Drawn;
  scales: ReturnType<typeof scalesOf>;
  /** How high a point is drawn, by the place of its category and its series. */
  heightOf(place: number, series: number): number;
  children: unknown;
}) {
  const { title, categories, text, width, height } = drawn;
  return (
    <svg class="chart-area" viewBox={`0 0 ${width} ${height}`}>
      <title>{title}</title>
      <Axes categories={categories} width={width} height={height} up={up} middle={x} text={text} />
      {children}
      {categories.flatMap(({ points }, place) =>
        points.flatMap((point, at) =>
          point
            ? [
                <Part point={point}>
                  <circle data-slice={at + 1} cx={x(place)} cy={y(heightOf(place, at))} r="4" />
                </Part>,
              ]
            : [],
        ),
      )}
    </svg>
  );
}

function seriesOf({ series }: Drawn): number[] {
  return Array.from({ length: Math.max(1, series.length) }, (_, at) => at);
}

/** A line for each series. */
export function Lines(drawn: Drawn) {
  const { categories } = drawn;
  const scales = scalesOf(drawn, false);
  const heightOf = (place: number, at: number) => categories[place]?.points[at]?.value ?? 0;
  return (
    <Through drawn={drawn} scales={scales} heightOf={heightOf}>
      {seriesOf(drawn).map((at) => {
        const draw = line<Category>()
          .defined(({ points }) => points[at] !== undefined)
          .x((_, place) => scales.x(place))
          .y((_, place) => scales.y(heightOf(place, at)));
        return <path class="chart-line" data-line={at + 1} d={draw([...categories]) ?? ""} />;
      })}
    </Through>
  );
}

/** Filled areas under lines; those of several series on top of each other. */
export function Areas(drawn: Drawn) {
  const scales = scalesOf(drawn, true);
  const series = seriesOf(drawn);
  /** Where the part of each series ends above a place, those below it included; what is missing is as thin as can be. */
  const tops = drawn.categories.map(({ points }) => {
    let top = 0;
    return series.map((at) => {
      top += Math.max(0, points[at]?.value ?? 0);
      return top;
    });
  });
  return (
    <Through drawn={drawn} scales={scales} heightOf={(place, at) => tops[place]?.[at] ?? 0}>
      {series.map((at) => {
        const draw = area<number[]>()
          .x((_, place) => scales.x(place))
          .y0((top) => scales.y(top[at - 1] ?? 0))
          .y1((top) => scales.y(top[at] ?? 0));
        return <path class="chart-fill" data-slice={at + 1} d={draw(tops) ?? ""} />;
      })}
    </Through>
  );
}
