import * as z from "zod";
import { nearest } from "../../../kit/formula/nearest.ts";
import type { Diagnostics } from "./diagnostics.ts";
import type { SourceEntry, SourceMap, SourceNode } from "./source.ts";

/** A name, whose accents may be typed in two ways. */
export function inOneForm(text: string): string {
  return text.normalize("NFC");
}

/** Holds a mapping against its Zod shape, and turns what the shape finds into words at their places. */
export function checkShape(shape: z.ZodObject, body: SourceMap, diagnostics: Diagnostics): void {
  const data: Record<string, unknown> = {};
  for (const { key, value } of body.entries) {
    if (key.text === "__proto__") continue;
    // What is held against shapes of its own, such as the fields of an entity, isn't looked at here.
    data[key.text] = takesAnything(shape.shape[key.text]) ? undefined : plain(value);
  }
  const result = shape.safeParse(data);
  if (result.success) return;
  for (const issue of result.error.issues) {
    if (issue.code === "unrecognized_keys") {
      for (const name of issue.keys) {
        const at = entryAt(body, name)?.key.at ?? body.at;
        const known = Object.keys(shape.shape);
        const close = nearest(name, known);
        const help = close ? `did you mean \`${close}\`?` : `allowed here: ${known.join(", ")}`;
        diagnostics.error(at, `\`${name}\` is not known here`, help);
      }
      continue;
    }
    const entry = entryAt(body, String(issue.path[0]));
    const missing = entry ? undefined : "the first line of a model is `levadura: 1`";
    const at = entry?.value?.at ??
      entry?.key.at ?? { start: body.at.start, end: body.at.start + 1 };
    diagnostics.error(
      at,
      missing ? "the version of the language is missing" : wordsOf(issue),
      missing,
    );
  }
}

function takesAnything(type: z.core.$ZodType | undefined): boolean {
  return type instanceof z.ZodOptional
    ? takesAnything(type.unwrap())
    : type instanceof z.ZodUnknown;
}

function wordsOf(issue: z.core.$ZodIssue): string {
  return /^(expected|Invalid)/.test(issue.message) && !issue.message.startsWith("expected")
    ? "a text was expected"
    : `${issue.message} here`;
}

function plain(node: SourceNode | undefined): unknown {
  if (!node) return undefined;
  if (node.kind === "scalar") return node.text;
  if (node.kind === "list") return node.items.map(plain);
  return Object.fromEntries(node.entries.map(({ key, value }) => [key.text, plain(value)]));
}

/** A mapping, or an error where something else is. */
export function mapOf(
  node: SourceNode,
  what: string,
  diagnostics: Diagnostics,
): SourceMap | undefined {
  if (node.kind === "map") return node;
  const at = { start: node.at.start, end: Math.min(node.at.end, node.at.start + 40) };
  diagnostics.error(
    at,
    `${what} is a list of names with something behind each`,
    "write `name: …`, one a line, indented with spaces",
  );
  return undefined;
}

/** The entries of a mapping, each name once; a repeated name is an error at its second place. */
export function uniqueEntries(
  body: SourceMap | undefined,
  what: string,
  diagnostics: Diagnostics,
): SourceEntry[] {
  const seen = new Set<string>();
  return (body?.entries ?? []).filter(({ key }) => {
    if (!seen.has(inOneForm(key.text))) return seen.add(inOneForm(key.text));
    diagnostics.error(
      key.at,
      `the ${what} \`${key.text}\` appears here twice`,
      "rename one, or take one out",
    );
    return false;
  });
}

export function entryAt(body: SourceMap, name: string): SourceEntry | undefined {
  return body.entries.find(({ key }) => key.text === name);
}

export function valueAt(body: SourceMap, name: string): SourceNode | undefined {
  return entryAt(body, name)?.value;
}

export function textAt(body: SourceMap, name: string): string | undefined {
  const node = valueAt(body, name);
  return node?.kind === "scalar" && node.text.trim() !== "" ? node.text : undefined;
}
