import type { Diagnostics, Span } from "./diagnostics.ts";
import type { Field } from "./model.ts";
import type { SourceNode, SourceScalar } from "./source.ts";

/** Finds the fields of an entity by their names. */
export interface FieldNames {
  /** The field of a name; an error where there is none. */
  known(name: string, at: Span): Field | undefined;
}

/** The words of a list, `[one, other]` or `one, other`. */
export function wordsOf(
  node: SourceNode,
  what: string,
  diagnostics: Diagnostics,
): { text: string; at: Span }[] {
  if (node.kind === "list") {
    return node.items.flatMap((item) => {
      if (item.kind === "scalar") return [item];
      diagnostics.error(item.at, "the name of a field was expected");
      return [];
    });
  }
  if (node.kind === "map") {
    diagnostics.error(node.at, `a list of ${what} was expected`, "write [one, other]");
    return [];
  }
  return splitWords(node);
}

function splitWords(node: SourceScalar): { text: string; at: Span }[] {
  const { text, origin, at } = node;
  return [...text.matchAll(/[^,]+/g)].flatMap((match) => {
    const word = match[0].trim();
    if (word === "") return [];
    const start = (origin ?? 0) + match.index + match[0].indexOf(word);
    return [{ text: word, at: origin === undefined ? at : { start, end: start + word.length } }];
  });
}
