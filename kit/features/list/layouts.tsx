import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { seenDays } from "../../store/list/on-days.ts";
import { firstPage } from "../../store/list/request.ts";

/** How a list is laid out: as a table, as cards, as a calendar, as a board of the values of a choice, as a tree of what is below what, or as a map. */
export type Layout<Known extends Entity> =
  | "table"
  | "cards"
  | "calendar"
  | { board: keyof Known["fields"] & string }
  | { tree: keyof Known["fields"] & string }
  | { map: keyof Known["fields"] & string };

/** A layout, and the field that it goes by. */
export interface LaidOut {
  kind: "table" | "cards" | "calendar" | "board" | "tree" | "map" | "report";
  field?: string;
}

/** The layouts of a list that the person can choose: not those by fields that they don't see. */
export function layoutsOf<Known extends Entity>(
  scope: Scope,
  entity: Known,
  layouts: readonly Layout<Known>[] = ["table"],
): LaidOut[] {
  const known = entity as unknown as Entity;
  const all = layouts.map((layout): LaidOut => {
    if (typeof layout === "string") return { kind: layout };
    if ("board" in layout) return { kind: "board", field: layout.board };
    return "tree" in layout
      ? { kind: "tree", field: layout.tree }
      : { kind: "map", field: layout.map };
  });
  const isDated = seenDays(scope, known) !== undefined;
  const seen = all.filter(
    ({ kind, field }) =>
      (kind !== "calendar" || isDated) && (field === undefined || !scope.isHidden(known, field)),
  );
  const first: LaidOut[] = seen.length > 0 ? seen : [{ kind: "table" }];
  const hasCalendar = !isDated || first.some(({ kind }) => kind === "calendar");
  // Whatever a list is, its rows can be counted.
  return [...first, ...(hasCalendar ? [] : [{ kind: "calendar" as const }]), { kind: "report" }];
}

/** The layout that an address asks for (`layout=board`); the first one otherwise. */
export function chosenLayout(layouts: readonly LaidOut[], query: URLSearchParams): LaidOut {
  const asked = query.get("layout");
  return layouts.find(({ kind }) => kind === asked) ?? layouts[0] ?? { kind: "table" };
}

/** Leads to the other layouts of a list. */
export function LayoutLinks({
  scope,
  entity,
  layouts,
  chosen,
  query,
}: {
  scope: Scope;
  entity: Entity;
  layouts: readonly LaidOut[];
  chosen: LaidOut;
  query: URLSearchParams;
}) {
  if (layouts.length < 2) return null;
  const { messages } = scope;
  return (
    <nav class="layouts" aria-label={messages.layout}>
      {layouts.map((layout, at) => (
        <a
          href={withQuery(encodeURI(entity.path), query, {
            layout: at === 0 ? undefined : layout.kind,
            ...firstPage,
          })}
          aria-current={layout === chosen ? "true" : undefined}
        >
          {messages.layouts[layout.kind]}
        </a>
      ))}
      {scope.linksOf(entity, "layouts").map((link) => (
        <a class="wide-only" href={withQuery(encodeURI(entity.path) + link.path, query, firstPage)}>
          {scope.textOf(link, entity)}
        </a>
      ))}
    </nav>
  );
}
