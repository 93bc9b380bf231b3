import type { Scope } from "../../access/scope.ts";
import type { Entity, Highlight } from "../../entity/entity.ts";
import { coordinatesOf } from "../../formula/coordinates.ts";
import { highlightsAmong } from "../../store/list/highlights.ts";
import { firstRows } from "../../store/list/list.ts";
import type { ListRequest } from "../../store/list/request.ts";
import type { Placed } from "./map-drawing.tsx";

/** The most records on a map. */
const mostShown = 1000;

/** Records in their places. */
export interface MapPage {
  placed: readonly Placed[];
  highlights: ReadonlyMap<number, Highlight>;
  /** How many records have no place. */
  without: number;
  /** Whether there are more records than a map shows. */
  more: boolean;
}

/** The records that a list finds, with the places in a field. */
export async function mapPage(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  name: string,
): Promise<MapPage> {
  const { rows, more } = await firstRows(scope, entity, request, mostShown);
  const placed = rows.flatMap((row) => {
    const at = coordinatesOf(row[name]);
    return at ? [{ row, at }] : [];
  });
  return {
    placed,
    highlights: await highlightsAmong(
      scope,
      entity,
      placed.map(({ row }) => row.id),
    ),
    without: rows.length - placed.length,
    more,
  };
}

/** A map of records, each of which leads to its page. */
export async function mapOf(scope: Scope, entity: Entity, page: MapPage) {
  const { messages, format } = scope;
  const { one, many, headings } = scope.namesOf(entity);
  // Loaded where there is something to draw: it brings the outlines of all countries.
  const { mapDrawing } = await import("./map-drawing.tsx");
  const { placed, highlights, without, more } = page;
  return (
    <div class="map">
      {more && <p class="soft">{messages.mapTooMany(format.number(mostShown))}</p>}
      {placed.length > 0 && mapDrawing(scope, headings, placed, highlights)}
      {without > 0 && <p class="soft">{messages.withoutPlace(format.count(without, one, many))}</p>}
    </div>
  );
}
