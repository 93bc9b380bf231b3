import {
  type Document,
  isAlias,
  isMap,
  isPair,
  isScalar,
  isSeq,
  LineCounter,
  type ParsedNode,
  parseAllDocuments,
  type YAMLError,
} from "yaml";
import { isInvisible, unseenCharacter } from "../naming/characters.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";

/** The model as it is written: the text of every scalar as the person typed it, and where. */
export type SourceNode = SourceScalar | SourceList | SourceMap;

export interface SourceScalar {
  kind: "scalar";
  /** What was typed: for plain text the source itself, whatever YAML would make of it (`007`, `1e3`, `~`). */
  text: string;
  quoted: boolean;
  at: Span;
  /** Where the text's first character is, when the text is one stretch of the source. */
  origin?: number;
  /** What follows a ` #` on the same line. */
  comment?: string;
}

export interface SourceList {
  kind: "list";
  items: SourceNode[];
  at: Span;
}

export interface SourceMap {
  kind: "map";
  entries: SourceEntry[];
  at: Span;
}

export interface SourceEntry {
  key: SourceScalar;
  /** Undefined for a bare key. */
  value?: SourceNode;
}

/** The longest model that is read, in characters. */
export const longestModel = 2_000_000;

/** Reads the YAML. Undefined, with the reasons in `diagnostics`, when it can't be read. */
export function readSource(text: string, diagnostics: Diagnostics): SourceNode | undefined {
  const begin = { start: 0, end: 0 };
  const strange = /(?![\t\n\r])[\p{Cc}\ufffd]/u.exec(text);
  if (strange) {
    const at = { start: strange.index, end: strange.index + 1 };
    diagnostics.error(
      at,
      "this is not a text file in UTF-8",
      "a model is written in a text editor and saved as UTF-8",
    );
    return undefined;
  }
  if (text.length > longestModel) {
    const size = (text.length / 1_000_000).toFixed(1);
    diagnostics.error(
      begin,
      `this file has ${size} million characters, and a model may have 2 million`,
    );
    return undefined;
  }
  const documents = parseAllDocuments(text, {
    lineCounter: new LineCounter(),
    prettyErrors: false,
    uniqueKeys: false,
    strict: true,
    merge: false,
    schema: "failsafe",
    logLevel: "silent",
  });
  if (!Array.isArray(documents) || documents.length === 0) {
    diagnostics.error(begin, "the file is empty", "`levadura begin` writes a model to start from");
    return undefined;
  }
  for (const document of documents) reportSyntax(text, document, diagnostics);
  const [first, second] = documents as Document.Parsed[];
  if (second) {
    const at = { start: second.range[0], end: second.range[0] + 3 };
    diagnostics.error(
      at,
      "a second document begins here",
      "a model is one document: take out the `---`",
    );
  }
  if (diagnostics.hasErrors) return undefined;
  const root = first?.contents;
  if (!root || (isScalar(root) && root.source === "")) {
    diagnostics.error(begin, "the file is empty", "`levadura begin` writes a model to start from");
    return undefined;
  }
  return convert(text, root, diagnostics);
}

function convert(text: string, node: ParsedNode, diagnostics: Diagnostics): SourceNode | undefined {
  const at = { start: node.range[0], end: Math.max(node.range[1], node.range[0]) };
  if (isAlias(node)) {
    diagnostics.error(
      at,
      `an alias, *${node.source}`,
      "write the value out: models have no aliases",
    );
    return undefined;
  }
  if (node.anchor) {
    const start = text.lastIndexOf("&", at.start);
    const anchor = { start, end: start + node.anchor.length + 1 };
    const help = "take it out: models have no anchors";
    diagnostics.error(anchor, `an anchor, &${node.anchor}`, help);
  }
  if (node.tag && !node.tag.startsWith("tag:yaml.org,2002:")) {
    diagnostics.error(
      at,
      `a tag, ${node.tag}`,
      "take it out, or put the text in quotes: models have no tags",
    );
    return undefined;
  }
  if (isScalar(node)) {
    const found = scalar(text, node, at);
    reportUnseen(found, diagnostics);
    return found;
  }
  if (isSeq(node)) {
    const items = node.items.flatMap((item) => {
      const found = isPair(item) ? undefined : convert(text, item as ParsedNode, diagnostics);
      return found ? [found] : [];
    });
    return { kind: "list", items, at };
  }
  if (!isMap(node)) return undefined;
  const entries: SourceEntry[] = [];
  for (const { key, value } of node.items) {
    const name = key && convert(text, key as ParsedNode, diagnostics);
    if (!name) continue;
    if (name.kind !== "scalar") {
      diagnostics.error(
        name.at,
        "a name was expected here",
        "text with braces or brackets has to be in quotes",
      );
      continue;
    }
    if (name.text === "<<" && !name.quoted) {
      diagnostics.error(
        name.at,
        "a merge key, <<",
        "write the entries out: models have no merge keys",
      );
      continue;
    }
    const blank = isScalar(value) && value.source === "" && value.type === "PLAIN";
    const content = value && !blank ? convert(text, value as ParsedNode, diagnostics) : undefined;
    entries.push({ key: name, ...(content && { value: content }) });
  }
  return { kind: "map", entries, at };
}

function scalar(
  text: string,
  node: Extract<ParsedNode, { source: string }>,
  at: Span,
): SourceScalar {
  const { type } = node as { type?: string };
  const quoted = type !== "PLAIN";
  const value = String(node.source);
  const start = type === "PLAIN" ? at.start : at.start + 1;
  const contiguous = text.startsWith(value, start);
  const rest = text.slice(at.end, lineEnd(text, at.end));
  const comment = /^[ \t]+#(.*)$/.exec(rest)?.[1];
  return {
    kind: "scalar",
    text: value,
    quoted,
    at,
    ...(contiguous && { origin: start }),
    ...(comment !== undefined && { comment }),
  };
}

/** A text that doesn't read as what it is has no place in a model: names, labels and choices end up in many others. */
function reportUnseen({ text, at }: SourceScalar, diagnostics: Diagnostics): void {
  const unseen = unseenCharacter(text);
  if (unseen) {
    const help =
      "take it out: names, labels and choices are made of characters that people can see";
    diagnostics.error(at, `this text holds ${unseen}, which nobody can see`, help);
  } else if (isInvisible(text.trim())) {
    diagnostics.error(
      at,
      "nobody can see any character of this text",
      "write a text that can be read",
    );
  }
}

function lineEnd(text: string, from: number): number {
  const end = text.indexOf("\n", from);
  return end < 0 ? text.length : end;
}

/** What YAML's own complaints mean to somebody who doesn't know YAML. */
const complaints: Readonly<Record<string, readonly [message: string, help: string]>> = {
  TAB_AS_INDENT: ["this line is indented with a tab", "use spaces: two for each level"],
  BLOCK_AS_IMPLICIT_KEY: [
    "there is a second `: ` in this line",
    "put the text in quotes when a colon belongs to it",
  ],
  MULTILINE_IMPLICIT_KEY: [
    "a `:` is missing in this line, or the text before it lacks its quotes",
    "write `name: definition`",
  ],
  MISSING_CHAR: [
    "something is missing here",
    "look for a quote, a bracket or a brace that is never closed, or a missing `:`",
  ],
  BAD_INDENT: [
    "this line doesn't line up with the ones above it",
    "give entries of one level the same number of spaces",
  ],
  BAD_SCALAR_START: ["a text can't begin with this character", "put it in quotes"],
  UNEXPECTED_TOKEN: [
    "this doesn't belong here",
    "put the whole text in quotes when a quote, a brace or a bracket begins it",
  ],
  BAD_DQ_ESCAPE: [
    "this backslash has no meaning here",
    "write `\\\\` for a backslash, or use single quotes",
  ],
  BAD_ALIAS: ["a text can't begin with `*` or `&`", "put it in quotes"],
  TAG_RESOLVE_FAILED: ["a tag", "take it out, or put the text in quotes: models have no tags"],
  BAD_DIRECTIVE: ["a line that begins with `%`", "take it out"],
};

function reportSyntax(
  text: string,
  document: { errors: YAMLError[] },
  diagnostics: Diagnostics,
): void {
  for (const { code, pos, message } of document.errors) {
    // The parser gave up on thousands of nested brackets.
    if (message.startsWith("Maximum call stack")) throw new RangeError(message);
    const [start] = pos;
    const line = text.slice(text.lastIndexOf("\n", start - 1) + 1, lineEnd(text, start));
    const [words, help] = complaints[code] ?? [message, "see the reference of the model language"];
    const title = /^\s*title:\s*\{/.test(line);
    diagnostics.error(
      { start, end: Math.max(start + 1, Math.min(pos[1], lineEnd(text, start))) },
      title ? "a title with `{field}` in it has to be in quotes" : words,
      title ? 'write title: "{name}"' : help,
    );
  }
}
