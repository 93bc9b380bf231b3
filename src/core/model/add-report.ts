import { isMap, isScalar, type Pair, parseDocument, stringify, type YAMLMap } from "yaml";
import { reportEntries } from "./report-words.ts";

/** The text of a model with a report in it, in the place of one of the same name; undefined where the entity isn't written in lines. */
export function withReport(
  model: string,
  { entity, name, query }: { entity: string; name: string; query: URLSearchParams },
): { text: string; replaced: boolean } | undefined {
  const entities = parseDocument(model).get("entities", true);
  const body = isMap(entities) ? entities.get(entity, true) : undefined;
  if (!isMap(body) || body.flow || body.items.length === 0) return undefined;
  const indent = columnOf(model, body);
  const reports = pairOf(body, "reports");
  if (!reports) {
    const lines = [`${indent}reports:`, ...reportLines(name, query, `${indent}  `)];
    return { text: inserted(model, endOf(model, body), lines), replaced: false };
  }
  const named = reports.value;
  if (!isMap(named) || named.flow || named.items.length === 0) return undefined;
  const inner = columnOf(model, named);
  const before = pairOf(named, name);
  const lines = reportLines(name, query, inner);
  if (!before) return { text: inserted(model, endOf(model, named), lines), replaced: false };
  if (!isMap(before.value)) return undefined;
  const start = lineStart(model, startOf(before));
  const text = `${model.slice(0, start)}${lines.join("\n")}\n${model.slice(endOf(model, before.value))}`;
  return { text, replaced: true };
}

/** A report as lines of a model. */
export function reportLines(name: string, query: URLSearchParams, indent: string): string[] {
  const entries = Object.fromEntries(
    reportEntries(query).map(([key, value]) => [
      key,
      typeof value === "string" && /^\d+$/.test(value) ? Number(value) : value,
    ]),
  );
  const text = stringify({ [name]: entries }, { lineWidth: 0, flowCollectionPadding: false });
  return text
    .trimEnd()
    .split("\n")
    .map((line) => indent + line);
}

function pairOf(map: YAMLMap, name: string): Pair | undefined {
  return map.items.find(({ key }) => isScalar(key) && String(key.value) === name);
}

function startOf({ key }: Pair): number {
  return isScalar(key) ? (key.range?.[0] ?? 0) : 0;
}

/** The blanks before the first key of a mapping. */
function columnOf(model: string, map: YAMLMap): string {
  const [first] = map.items;
  const start = first ? startOf(first) : 0;
  return model.slice(lineStart(model, start), start);
}

function lineStart(model: string, at: number): number {
  return model.lastIndexOf("\n", at - 1) + 1;
}

/** The place behind the last line of a mapping. */
function endOf(model: string, map: YAMLMap): number {
  const end = map.range?.[1] ?? model.length;
  // What ends in lines of its own, such as a block of text, ends with its last line break.
  const text = model.slice(0, end).trimEnd();
  const line = model.indexOf("\n", text.length);
  return line < 0 ? model.length : line + 1;
}

function inserted(model: string, at: number, lines: readonly string[]): string {
  const before = model.slice(0, at);
  const gap = before === "" || before.endsWith("\n") ? "" : "\n";
  return `${before}${gap}${lines.join("\n")}\n${model.slice(at)}`;
}
