import { nearest } from "../../../kit/formula/nearest.ts";
import { readDays, usualDays } from "./calendar.ts";
import type { Diagnostics } from "./diagnostics.ts";
import { mapOf, uniqueEntries } from "./mappings.ts";
import { type Color, colors, type Entity, type Field, isReference, type Layout } from "./model.ts";
import { readReports } from "./reports.ts";
import type { SourceEntry, SourceMap, SourceNode } from "./source.ts";
import { type FieldNames, wordsOf } from "./word-lists.ts";

/** How a list can be laid out, and whether that goes by a field. */
const layouts: Readonly<Record<Layout["kind"], "plain" | "by a field">> = {
  table: "plain",
  cards: "plain",
  calendar: "plain",
  board: "by a field",
  tree: "by a field",
  map: "by a field",
};

/** The most choices that a list is a board of, where the model doesn't say that it is one. */
const mostColumns = 8;

/** Reads how the lists of an entity look: their layouts, the colours of choices, highlighted rows, views, and their days in calendars. */
export function interpretLooks(
  entity: Entity,
  body: SourceMap,
  names: FieldNames,
  diagnostics: Diagnostics,
): void {
  const at = (name: string) => body.entries.find(({ key }) => key.text === name)?.value;
  const painted = at("colors");
  if (painted) readColors(painted, names, diagnostics);
  const calendar = at("calendar");
  const days = calendar ? readDays(calendar, entity, names, diagnostics) : usualDays(entity);
  if (days) entity.calendar = days;
  const given = at("layouts");
  entity.layouts = given ? readLayouts(given, entity, names, diagnostics) : usualLayouts(entity);
  const highlights = at("highlights");
  if (highlights) entity.highlights = readHighlights(highlights, diagnostics);
  const reports = at("reports");
  if (reports) entity.reports = readReports(reports, diagnostics);
  const views = at("views");
  if (views) entity.views = readViews(views, diagnostics);
}

/** A table, cards, a board of the tabs or of the first choice with few values, a tree of what refers to itself, and a map of places. */
function usualLayouts({ fields, tabs, name }: Entity): Layout[] {
  const choices = fields.filter(
    ({ type }) => type.kind === "choice" && type.choices.length <= mostColumns,
  );
  const board = choices.find((field) => field.name === tabs) ?? choices[0];
  const place = fields.find(({ type }) => type.kind === "place");
  const above = fields.find((field) => isReference(field) && field.type.entity === name);
  return [
    { kind: "table" },
    { kind: "cards" },
    ...(board ? [{ kind: "board" as const, field: board.name }] : []),
    ...(above ? [{ kind: "tree" as const, field: above.name }] : []),
    ...(place ? [{ kind: "map" as const, field: place.name }] : []),
  ];
}

/** `[table, cards, board status]`, or the same with commas. The first is what a list begins with. */
function readLayouts(
  node: SourceNode,
  entity: Entity,
  names: FieldNames,
  diagnostics: Diagnostics,
): Layout[] {
  const found: Layout[] = [];
  for (const { text, at } of wordsOf(node, "layouts", diagnostics)) {
    const [kind = "", name, extra] = text.trim().split(/\s+/);
    const known = Object.hasOwn(layouts, kind) ? (kind as Layout["kind"]) : undefined;
    const byField = known && layouts[known] === "by a field";
    if (!known || extra !== undefined || byField !== (name !== undefined)) {
      diagnostics.error(
        at,
        `\`${text}\` is no layout`,
        "there are `table`, `cards`, `calendar`, `board` with a choice, `tree` with a reference to the entity itself, and `map` with a place",
      );
      continue;
    }
    if (found.some((layout) => layout.kind === known)) {
      diagnostics.error(at, `\`${known}\` appears here twice`, "take one out");
      continue;
    }
    if (known === "calendar" && !entity.calendar) {
      const help = "add a date to it, or take `calendar` out";
      diagnostics.error(at, `\`${entity.name}\` has no days for a calendar`, help);
      continue;
    }
    if (known === "table" || known === "cards" || known === "calendar") {
      found.push({ kind: known });
      continue;
    }
    const field = names.known(name ?? "", at);
    if (!field) continue;
    const wrong = unfit(entity, known, field);
    if (wrong) diagnostics.error(at, wrong);
    else found.push({ kind: known, field: field.name });
  }
  return found.length > 0 ? found : [{ kind: "table" }];
}

function unfit({ name }: Entity, kind: "board" | "tree" | "map", field: Field): string | undefined {
  if (kind === "board") {
    return field.type.kind === "choice"
      ? undefined
      : `a board has a column for each value of a \`choice\`, and \`${field.name}\` is none`;
  }
  if (kind === "map") {
    return field.type.kind === "place"
      ? undefined
      : `a map goes by a \`place\`, and \`${field.name}\` is none`;
  }
  return isReference(field) && field.type.entity === name
    ? undefined
    : `a tree goes by a reference to \`${name}\` itself, and \`${field.name}\` is none`;
}

/** `status: {active: green, weak: yellow}`, one field below the other. */
function readColors(node: SourceNode, names: FieldNames, diagnostics: Diagnostics): void {
  const fields = mapOf(node, "`colors`", diagnostics);
  for (const { key, value } of uniqueEntries(fields, "field", diagnostics)) {
    const field = names.known(key.text, key.at);
    if (!field) continue;
    if (field.type.kind !== "choice") {
      diagnostics.error(key.at, `\`${field.name}\` is no \`choice\`, whose values have colours`);
      continue;
    }
    const { choices } = field.type;
    const painted = value && mapOf(value, `the colours of \`${field.name}\``, diagnostics);
    const found: Record<string, Color> = {};
    for (const entry of uniqueEntries(painted, "value", diagnostics)) {
      const choice = entry.key.text;
      if (!choices.includes(choice)) {
        const close = nearest(choice, choices);
        diagnostics.error(
          entry.key.at,
          `\`${field.name}\` has no choice \`${choice}\``,
          close ? `did you mean \`${close}\`?` : `the choices are ${choices.join(", ")}`,
        );
        continue;
      }
      const color = colorOf(entry, diagnostics);
      if (color) found[choice] = color;
    }
    field.colors = found;
  }
}

function colorOf({ key, value }: SourceEntry, diagnostics: Diagnostics): Color | undefined {
  const word = value?.kind === "scalar" ? value.text.trim().toLowerCase() : "";
  const found = colors.find((color) => color === word);
  if (!found) {
    const close = nearest(word, colors);
    diagnostics.error(
      value?.at ?? key.at,
      word ? `there is no colour \`${word}\`` : "a colour was expected",
      close ? `did you mean \`${close}\`?` : `the colours are ${colors.join(", ")}`,
    );
  }
  return found;
}

/** `- Not looked at for a month: "= condition"`, or with a colour: `- Empty: {color: red, when: "= condition"}`. */
function readHighlights(
  node: SourceNode,
  diagnostics: Diagnostics,
): NonNullable<Entity["highlights"]> {
  const help = 'write each as - What it says of the row: "= condition"';
  if (node.kind !== "list") {
    diagnostics.error(node.at, "highlights are a list", help);
    return [];
  }
  return node.items.flatMap((item) => {
    const [entry] = item.kind === "map" ? item.entries : [];
    if (item.kind !== "map" || item.entries.length !== 1 || !entry?.value) {
      diagnostics.error(item.at, "a highlight has a sentence and a condition", help);
      return [];
    }
    const { value } = entry;
    const parts = value.kind === "map" ? value.entries : [];
    const part = (name: string) => parts.find(({ key }) => key.text === name);
    for (const { key } of parts) {
      if (key.text !== "when" && key.text !== "color")
        diagnostics.error(key.at, `\`${key.text}\` is not known here`, "allowed here: when, color");
    }
    const formula = value.kind === "scalar" ? value : part("when")?.value;
    if (formula?.kind !== "scalar" || !formula.text.startsWith("=")) {
      diagnostics.error(
        formula?.at ?? value.at,
        "a condition is a formula, and begins with `=`",
        'as in "= installed < today - 365 days"',
      );
      return [];
    }
    const painted = part("color");
    const color = painted ? colorOf(painted, diagnostics) : "yellow";
    if (!color) return [];
    const { text, origin, at } = formula;
    const sentence = entry.key.text;
    return [{ sentence, color, formula: text, ...(origin !== undefined && { origin }), at }];
  });
}

/** `Weak ones: status=weak&sort=code`: a name, and what stands behind the `?` of the list's address. */
function readViews(node: SourceNode, diagnostics: Diagnostics): NonNullable<Entity["views"]> {
  const views = mapOf(node, "`views`", diagnostics);
  return uniqueEntries(views, "view", diagnostics).flatMap(({ key, value }) => {
    const query = value?.kind === "scalar" ? value.text.trim().replace(/^\?/, "") : "";
    if (/^[^\s=&?#]+=[^\s#]*$/.test(query)) return [{ name: key.text, query }];
    diagnostics.error(
      value?.at ?? key.at,
      "a view is what stands behind the `?` in the address of the list",
      "as in status=weak&sort=-installed",
    );
    return [];
  });
}
