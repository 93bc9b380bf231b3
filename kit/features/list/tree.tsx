import type { Scope } from "../../access/scope.ts";
import type { Entity, Highlight, Row } from "../../entity/entity.ts";
import { address } from "../../entity/links.ts";
import { highlightsAmong } from "../../store/list/highlights.ts";
import { firstRows } from "../../store/list/list.ts";
import type { ListRequest } from "../../store/list/request.ts";
import { HighlightNote } from "../../ui/highlight.tsx";

/** The most records of a tree. */
const mostShown = 1000;
/** How deep a tree goes; what is deeper stands beside. */
const deepest = 30;

/** Records by the one above them; those above which none of the tree is are at the top. */
export interface TreePage {
  top: readonly Row[];
  below: ReadonlyMap<number, readonly Row[]>;
  highlights: ReadonlyMap<number, Highlight>;
  /** Whether there are more records than a tree shows. */
  more: boolean;
}

/** The records that a list finds, by the reference to the one above each. */
export async function treePage(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  name: string,
): Promise<TreePage> {
  const { rows, more } = await firstRows(scope, entity, request, mostShown);
  const byId = new Map(rows.map((row) => [row.id, row]));
  const below = new Map<number, Row[]>();
  const top: Row[] = [];
  for (const row of rows) {
    const above = row[name];
    // What is above itself, however that came about, would show nowhere.
    if (typeof above === "number" && byId.has(above) && !isAboveItself(row, byId, name)) {
      below.set(above, [...(below.get(above) ?? []), row]);
    } else top.push(row);
  }
  const ids = [...byId.keys()];
  return {
    top,
    below,
    highlights: await highlightsAmong(scope, entity, ids),
    more,
  };
}

/** Whether a record is reached again by going up from it, or only after very many steps. */
function isAboveItself(row: Row, byId: ReadonlyMap<number, Row>, name: string): boolean {
  let at = byId.get(row[name] as number);
  for (let steps = 0; at; steps++) {
    if (at.id === row.id || steps > deepest) return true;
    at = byId.get(at[name] as number);
  }
  return false;
}

/** Records below records. */
export function Tree({ scope, entity, tree }: { scope: Scope; entity: Entity; tree: TreePage }) {
  const { messages, format } = scope;
  return (
    <>
      {tree.more && <p class="soft">{messages.treeTooMany(format.number(mostShown))}</p>}
      <div class="tree">
        <Branch scope={scope} entity={entity} tree={tree} rows={tree.top} />
      </div>
    </>
  );
}

function Branch({
  scope,
  entity,
  tree,
  rows,
}: {
  scope: Scope;
  entity: Entity;
  tree: TreePage;
  rows: readonly Row[];
}) {
  const { one, many } = scope.namesOf(entity);
  return (
    <ul>
      {rows.map((row) => {
        const below = tree.below.get(row.id) ?? [];
        const highlight = tree.highlights.get(row.id);
        return (
          <li data-color={highlight?.color}>
            <a href={address(row)}>{row.displayTitle}</a>
            <HighlightNote scope={scope} highlight={highlight} />
            {below.length > 0 && (
              <details open>
                <summary>
                  {scope.messages.below(scope.format.count(below.length, one, many))}
                </summary>
                <Branch scope={scope} entity={entity} tree={tree} rows={below} />
              </details>
            )}
          </li>
        );
      })}
    </ul>
  );
}
