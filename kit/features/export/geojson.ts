import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { coordinatesOf } from "../../formula/coordinates.ts";
import type { Cell, ExportColumn } from "./cells.ts";

/** The field with the places of an entity's records that somebody sees; undefined where there is none. */
export function placeField(scope: Scope, entity: Entity): string | undefined {
  return Object.entries(entity.fields).find(
    ([name, { kind }]) => kind === "place" && !scope.isHidden(entity, name),
  )?.[0];
}

/** Rows as GeoJSON (RFC 7946), some at a time: what the list shows of each, at its place, or at none. */
export async function* geojsonOf(
  place: string,
  columns: readonly ExportColumn[],
  rows: AsyncIterable<readonly Row[]>,
): AsyncGenerator<string> {
  yield '{"type":"FeatureCollection","features":[';
  let isFirst = true;
  for await (const some of rows) {
    const features = some.map((row) => {
      const at = coordinatesOf(row[place]);
      const geometry = at && { type: "Point", coordinates: [at.longitude, at.latitude] };
      const properties = columns.map(({ label, cell }) => [label, plain(cell(row))]);
      return JSON.stringify({
        type: "Feature",
        id: row.id,
        geometry: geometry ?? null,
        properties: { title: row.displayTitle, ...Object.fromEntries(properties) },
      });
    });
    if (features.length > 0) yield `${isFirst ? "" : ","}\n${features.join(",\n")}`;
    isFirst &&= features.length === 0;
  }
  yield "\n]}\n";
}

function plain(cell: Cell): string | number | null {
  if (typeof cell !== "object" || cell === null) return cell;
  return "day" in cell ? cell.day : cell.moment;
}
