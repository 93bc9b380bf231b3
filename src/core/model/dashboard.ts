import { nearest } from "../../../kit/formula/nearest.ts";
import type { Diagnostics } from "./diagnostics.ts";
import { inOneForm } from "./mappings.ts";
import { type Entity, namedViews, type Tile } from "./model.ts";
import type { SourceNode } from "./source.ts";

/** Reads `dashboard`: views and reports of entities, in the order in which the start page has them. */
export function interpretDashboard(
  node: SourceNode,
  entities: readonly Entity[],
  diagnostics: Diagnostics,
): Tile[] {
  const help = "write each as - Hive: Name of one of its views or reports";
  if (node.kind !== "list") {
    diagnostics.error(node.at, "a dashboard is a list of views and reports", help);
    return [];
  }
  return node.items.flatMap((item) => {
    const [entry, more] = item.kind === "map" ? item.entries : [];
    if (!entry || more || entry.value?.kind !== "scalar") {
      diagnostics.error(item.at, "an entity and one of its views or reports were expected", help);
      return [];
    }
    const name = inOneForm(entry.key.text);
    const entity = entities.find((each) => each.name === name);
    const unknown = (at: SourceNode["at"], message: string, given: string, known: string[]) => {
      const close = nearest(given, known);
      const all = known.length > 0 ? `there are ${known.join(", ")}` : "it has none";
      diagnostics.error(at, message, close ? `did you mean \`${close}\`?` : all);
      return [];
    };
    if (!entity) {
      const known = entities.map((each) => each.name);
      return unknown(entry.key.at, `there is no entity \`${name}\``, name, known);
    }
    const view = entry.value.text.trim();
    const known = namedViews(entity).map((each) => each.name);
    if (known.includes(view)) return [{ entity: name, view }];
    const message = `\`${name}\` has no view or report \`${view}\``;
    return unknown(entry.value.at, message, view, known);
  });
}
