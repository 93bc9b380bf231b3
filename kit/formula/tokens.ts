import { Complained } from "./complaint.ts";
import { foreignSigns } from "./foreign-words.ts";
import type { Span } from "./tree.ts";

/** A piece of a formula. */
export interface Token {
  kind: "number" | "text" | "word" | "field" | "sign" | "end";
  /** As it means: a text without its quotes, a field without its braces, a word in small letters as well. */
  text: string;
  at: Span;
}

const patterns: readonly (readonly [Token["kind"] | "blank", RegExp])[] = [
  ["blank", /\s+/y],
  ["number", /\d+(?:\.\d+)?/y],
  ["text", /'(?:[^']|'')*'|"(?:[^"]|"")*"/y],
  ["field", /\{[^{}]*\}/y],
  ["word", /[\p{L}_][\p{L}\p{N}\p{M}_]*/uy],
  ["sign", /<>|<=|>=|[-+*/%&=<>(),.]/y],
];

/** The pieces of a text, with an end behind them. */
export function tokensOf(text: string): Token[] {
  const tokens: Token[] = [];
  let place = 0;
  while (place < text.length) {
    const [kind, found] = next(text, place);
    const at = { start: place, end: place + found.length };
    if (kind !== "blank") tokens.push({ kind, text: meaning(kind, found), at });
    place = at.end;
  }
  tokens.push({ kind: "end", text: "", at: { start: text.length, end: text.length } });
  return tokens;
}

function next(text: string, place: number): [Token["kind"] | "blank", string] {
  const foreign = foreignSigns.find(([sign]) => sign.length > 1 && text.startsWith(sign, place));
  if (foreign) throw foreignSign(foreign, place);
  for (const [kind, pattern] of patterns) {
    pattern.lastIndex = place;
    const found = pattern.exec(text)?.[0];
    if (found !== undefined) return [kind, found];
  }
  const letter = String.fromCodePoint(text.codePointAt(place) ?? 0);
  const at = { start: place, end: place + letter.length };
  if (letter === "'" || letter === '"') {
    throw new Complained(
      (words) => words.textNotClosed,
      { ...at, end: text.length },
      (words) => words.closeWith(letter),
    );
  }
  const sign = foreignSigns.find(([each]) => each === letter) ?? [letter];
  throw foreignSign(sign, place);
}

/** A sign that other languages have and this one doesn't, with what is written here. */
function foreignSign(
  [sign = "", ours]: readonly (string | undefined)[],
  place: number,
): Complained {
  return new Complained(
    (words) => words.noSign(sign),
    { start: place, end: place + sign.length },
    ours ? (words) => words.write(ours) : undefined,
  );
}

function meaning(kind: Token["kind"], found: string): string {
  if (kind === "text") {
    const mark = found.charAt(0);
    return found.slice(1, -1).replaceAll(mark + mark, mark);
  }
  return kind === "field" ? found.slice(1, -1).trim() : found;
}
