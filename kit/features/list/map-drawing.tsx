import { geoDistance, geoGraticule, geoMercator, geoPath } from "d3-geo";
import type { Scope } from "../../access/scope.ts";
import type { Highlight, Row } from "../../entity/entity.ts";
import { address } from "../../entity/links.ts";
import type { Coordinates } from "../../formula/coordinates.ts";
import { countries } from "../../ui/outlines.ts";

/** A record in its place. */
export interface Placed {
  row: Row;
  at: Coordinates;
}

const width = 960;
const height = 500;
/** What is left free around the records. */
const margin = 60;

/** The kilometres around the earth, divided by the circumference of a circle of radius one. */
const earthRadius = 6371;

/** Records on a map, each of which leads to its page. */
export function mapDrawing(
  scope: Scope,
  label: string,
  placed: readonly Placed[],
  highlights: ReadonlyMap<number, Highlight>,
) {
  const point = ({ longitude, latitude }: Coordinates): [number, number] => [longitude, latitude];
  const points = { type: "MultiPoint" as const, coordinates: placed.map(({ at }) => point(at)) };
  const projection = geoMercator();
  projection.fitExtent(
    [
      [margin, margin],
      [width - margin, height - margin],
    ],
    points,
  );
  // One place, or some that are close together, are shown with some kilometres around them.
  const closest = width / (2 * Math.PI * (20 / (2 * Math.PI * earthRadius)));
  if (!(projection.scale() < closest)) {
    const [first] = placed;
    projection
      .scale(closest)
      .center(first ? point(first.at) : [0, 0])
      .translate([width / 2, height / 2]);
  }
  projection.clipExtent([
    [0, 0],
    [width, height],
  ]);
  const path = geoPath(projection).digits(1);
  return (
    <svg viewBox={`0 0 ${width} ${height}`}>
      <title>{label}</title>
      <rect class="sea" width={String(width)} height={String(height)} />
      <path class="land" d={path(countries) ?? ""} />
      <path class="grid-lines" d={path(geoGraticule().step([1, 1])()) ?? ""} />
      {placed.map(({ row, at }) => {
        const [x, y] = projection(point(at)) ?? [0, 0];
        const highlight = highlights.get(row.id);
        return (
          <a href={address(row)} aria-label={row.displayTitle} data-color={highlight?.color}>
            <title>{row.displayTitle}</title>
            <circle class="around" cx={x.toFixed(1)} cy={y.toFixed(1)} r="13" />
            <circle class="point" cx={x.toFixed(1)} cy={y.toFixed(1)} r="7" />
            {placed.length <= mostLabels && (
              <text x={(x + 11).toFixed(1)} y={(y + 5).toFixed(1)}>
                {row.displayTitle}
              </text>
            )}
          </a>
        );
      })}
      <Scale scope={scope} kilometres={kilometresAcross(projection)} />
    </svg>
  );
}

/** The most records whose titles stand on the map. */
const mostLabels = 40;

/** The kilometres from the left to the right, through the middle. */
function kilometresAcross(projection: ReturnType<typeof geoMercator>): number {
  const [from, to] = [width / 2 - 50, width / 2 + 50].map(
    (x) => projection.invert?.([x, height / 2]) ?? [0, 0],
  ) as [[number, number], [number, number]];
  return (geoDistance(from, to) * earthRadius * width) / 100;
}

/** A bar of a round number of kilometres. */
function Scale({ scope, kilometres }: { scope: Scope; kilometres: number }) {
  const most = kilometres / 4;
  const power = 10 ** Math.floor(Math.log10(most));
  const round = [5, 2, 1].map((each) => each * power).find((each) => each <= most) ?? power;
  const long = (round / kilometres) * width;
  const text =
    round < 1
      ? scope.format.number(Math.round(round * 1000), "m")
      : scope.format.number(round, "km");
  return (
    <g>
      <path class="scale" d={`M20 ${height - 26}v6h${long.toFixed(1)}v-6`} />
      <text x="24" y={String(height - 28)}>
        {text}
      </text>
    </g>
  );
}
