import { nearest } from "../../../kit/formula/nearest.ts";
import type { Diagnostics } from "./diagnostics.ts";
import { inOneForm } from "./mappings.ts";
import type { Entity, MenuEntry } from "./model.ts";
import type { SourceNode } from "./source.ts";

const help =
  "write each as - Hive, as a group - Bees: [Hive, Queen], or as a link - Handbook: https://bees.example";

/** Reads `menu`: entities, groups of them, and links, in their order. An entity that isn't in it isn't in the menu. */
export function interpretMenu(
  node: SourceNode,
  entities: readonly Entity[],
  diagnostics: Diagnostics,
): MenuEntry[] {
  if (node.kind !== "list") {
    diagnostics.error(node.at, "a menu is a list", help);
    return [];
  }
  const seen = new Set<string>();
  const known = (item: SourceNode): string[] => {
    if (item.kind !== "scalar") {
      diagnostics.error(item.at, "an entity was expected", help);
      return [];
    }
    const name = inOneForm(item.text);
    const names = entities.map((each) => each.name);
    if (!names.includes(name)) {
      const close = nearest(name, names);
      const hint = close ? `did you mean \`${close}\`?` : `there are ${names.join(", ")}`;
      diagnostics.error(item.at, `there is no entity \`${name}\``, hint);
      return [];
    }
    if (seen.has(name)) {
      diagnostics.error(item.at, `\`${name}\` appears here twice`, "take one out");
      return [];
    }
    seen.add(name);
    return [name];
  };
  return node.items.flatMap((item): MenuEntry[] => {
    if (item.kind === "scalar") return known(item).map((entity) => ({ entity }));
    const [entry, more] = item.kind === "map" ? item.entries : [];
    if (!entry?.value || more || entry.key.text.trim() === "") {
      diagnostics.error(item.at, "an entity, a group or a link was expected", help);
      return [];
    }
    const { key, value } = entry;
    const label = key.text.trim();
    if (value.kind === "list") return [{ label, entities: value.items.flatMap(known) }];
    const href = value.kind === "scalar" ? value.text.trim() : "";
    if (/^(https?:\/\/[^\s]+|\/[^/\s][^\s]*)$/i.test(href)) return [{ label, href }];
    diagnostics.error(value.at, "a group is a list of entities, and a link a web address", help);
    return [];
  });
}
