import type { Diagnostics, Span } from "./diagnostics.ts";
import { mapOf, uniqueEntries } from "./mappings.ts";
import { archiveField, type Days, type Entity, type Field } from "./model.ts";
import type { SourceNode } from "./source.ts";
import type { FieldNames } from "./word-lists.ts";

/** Words, in the languages that names are written in, that say that something ends. */
const endings =
  /^(to|until|till|by|due|end|ends|ended|ending|finish|finished|last_day|removed|returned|closed|left|gone|departure|hasta|fin|final|termina|terminado|retirada|retirado|devuelto|cerrado|salida)$|_(to|until|end|ended|fin|hasta)$/u;

/** The days of an entity where the model says nothing of them: its first date, and the end that follows it. */
export function usualDays({ fields, tabs }: Entity): Days | undefined {
  const dates = fields.filter((field) => isDay(field) && !endings.test(field.name));
  const from = dates.find(({ required }) => required) ?? dates[0] ?? fields.find(isDay);
  if (!from) return undefined;
  const behind = fields.slice(fields.indexOf(from) + 1);
  const to = behind.find(
    (field) => field.type.kind === from.type.kind && isDay(field) && endings.test(field.name),
  );
  const choices = fields.filter(({ type }) => type.kind === "choice");
  const color = choices.find((field) => field.colors) ?? choices.find(({ name }) => name === tabs);
  return { from: from.name, ...(to && { to: to.name }), ...(color && { color: color.name }) };
}

function isDay({ name, type }: Field): boolean {
  return (type.kind === "date" || type.kind === "datetime") && name !== archiveField;
}

/** Reads `calendar`: `begun to ended`, one field, `no`, or a mapping. */
export function readDays(
  node: SourceNode,
  entity: Entity,
  names: FieldNames,
  diagnostics: Diagnostics,
): Days | undefined {
  const help = "write `calendar: begun to ended`, a single date, or `no`";
  const day = (name: string, at: Span): string | undefined => {
    const field = names.known(name, at);
    if (!field || isDay(field)) return field?.name;
    diagnostics.error(at, `a calendar is made of dates, and \`${name}\` is none`, help);
    return undefined;
  };
  const { color } = usualDays(entity) ?? {};
  if (node.kind === "scalar") {
    const text = node.text.trim();
    if (text === "no" || text === "false") return undefined;
    const [from, to] = text.split(/\s+to\s+/u);
    const first = day(from ?? "", node.at);
    const last = to === undefined ? undefined : day(to, node.at);
    return first === undefined
      ? undefined
      : { from: first, ...(last && { to: last }), ...(color && { color }) };
  }
  const body = mapOf(node, "`calendar`", diagnostics);
  const found: Partial<Days> = color ? { color } : {};
  for (const { key, value } of uniqueEntries(body, "word", diagnostics)) {
    const text = value?.kind === "scalar" ? value.text.trim() : "";
    const at = value?.at ?? key.at;
    if (key.text === "from" || key.text === "to") {
      const field = day(text, at);
      if (field) found[key.text] = field;
    } else if (key.text === "color") {
      const field = names.known(text, at);
      if (field && field.type.kind !== "choice") {
        diagnostics.error(at, `\`${text}\` is no \`choice\`, whose values have colours`);
      } else if (field) found.color = field.name;
    } else {
      diagnostics.error(
        key.at,
        `\`${key.text}\` is not known here`,
        "allowed here: from, to, color",
      );
    }
  }
  const { from } = found;
  if (from) return { ...found, from };
  if (body && !diagnostics.hasErrors) diagnostics.error(node.at, "`from` is missing here", help);
  return undefined;
}
