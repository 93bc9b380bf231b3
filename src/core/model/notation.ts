import type { Span } from "./diagnostics.ts";

/** A piece of text and its position. */
export interface Word {
  text: string;
  at: Span;
}

/** What follows an option. */
export interface OptionWord extends Word {
  /** Whether it is a formula, written without its `=` here. */
  formula?: true;
}

/** One value of a choice, with the one that it stands for now. */
export interface ChoiceWord extends Word {
  was?: Word;
}

/** A field's definition as it is written, in either notation: nothing in it is understood yet. */
export interface Definition {
  /** The words of the type: `long text`, `choice`, `part of`, or one that doesn't exist. */
  type?: Word;
  /** What follows `one`, `many` or `part of`. */
  entity?: Word;
  choices?: ChoiceWord[];
  min?: Word;
  max?: Word;
  options: Map<OptionName, OptionWord>;
}

/** The options, and what follows each: nothing, or a value. */
export const optionValues = {
  required: "nothing",
  "required when": "a condition",
  "shown when": "a condition",
  "offered when": "a condition",
  unique: "nothing",
  default: "a value",
  label: "a text",
  hint: "a text",
  placeholder: "a text",
  unit: "a text",
  places: "a number",
  size: "a size",
  as: "a control",
  was: "a field's old name",
  fill: "a value",
} as const;
export type OptionName = keyof typeof optionValues;
export const optionNames = Object.keys(optionValues) as OptionName[];

/** The grammar of the short notation, in EBNF. */
export const grammar = `definition = type [ range ] { "," option } ;
type       = word { word }
           | "choice" choice { "|" choice }
           | ( "one" | "many" | "part of" ) Entity ;
range      = [ bound ] ".." [ bound ] ;
bound      = number | date | "today" ;
option     = "required" | "unique"
           | "required when" formula | "shown when" formula | "offered when" formula
           | "default" ( value | "=" formula ) | "label" value | "hint" value | "placeholder" value
           | "unit" value | "places" number | "size" size | "as" control | "was" name | "fill" value ;
choice     = value [ "was" value ] ;
formula    = text without "," outside of brackets and quotes ;
value      = text without "," "|" and quotes | '"' text '"' | "'" text "'" ;
size       = number ( "kB" | "MB" ) ;
control    = "radio" | "select" | "checkbox" | "switch" | "number" | "slider" | "search" | "rows" | "list" ;
number     = [ "-" ] digit { digit } [ "." digit { digit } ] ;
date       = year "-" month "-" day ;`;

/** Something the short notation doesn't allow. */
export interface Complaint {
  at: Span;
  message: string;
  help?: string;
}

interface Token extends Word {
  kind: "word" | "quoted" | "," | "|";
}

/** A definition and what is wrong with it; spans are stretches of its own text. */
interface Reading {
  definition: Definition;
  complaints: Complaint[];
}

/** The last texts that were read: the same few definitions are written again and again in a model. */
const readings = new Map<string, Reading>();
const mostReadings = 500;

/**
 * Reads a definition in the short notation. Never throws: what can't be read is in `complaints`.
 * `place` turns a stretch of the text into a stretch of the file.
 */
export function parseDefinition(text: string, place: (span: Span) => Span): Reading {
  let reading = readings.get(text);
  if (!reading) {
    if (readings.size >= mostReadings) readings.clear();
    reading = read(text);
    readings.set(text, reading);
  }
  return placed(reading, place);
}

function read(text: string): Reading {
  const complaints: Complaint[] = [];
  const complain: Complain = (at, message, help) =>
    complaints.push({ at, message, ...(help && { help }) });
  const { rest, formulas } = takeFormulas(text);
  const tokens = tokenize(rest, complain);
  const definition: Definition = { options: new Map() };
  const segments = split(tokens);
  segments.forEach((segment, index) => {
    const [first] = segment.tokens;
    if (!first) {
      complain(segment.at, "there is nothing between these commas", "take one comma out");
    } else if (index === 0) {
      readType(segment.tokens, text, definition, complain);
    } else {
      readOption(segment.tokens, text, formulas, definition, complain);
    }
  });
  return { definition, complaints };
}

/** The same reading with its spans in the file. A large model has tens of thousands of these words. */
function placed({ definition, complaints }: Reading, place: (span: Span) => Span): Reading {
  const moved = ({ text, at }: Word): Word => ({ text, at: place(at) });
  const result: Definition = { options: new Map() };
  for (const part of wordParts) {
    const word = definition[part];
    if (word) result[part] = moved(word);
  }
  if (definition.choices) {
    result.choices = definition.choices.map((choice) =>
      choice.was ? { ...moved(choice), was: moved(choice.was) } : moved(choice),
    );
  }
  for (const [name, word] of definition.options) {
    result.options.set(name, word.formula ? { ...moved(word), formula: true } : moved(word));
  }
  return {
    definition: result,
    complaints: complaints.map((complaint) => ({ ...complaint, at: place(complaint.at) })),
  };
}

const wordParts = ["type", "entity", "min", "max"] as const;

type Complain = (at: Span, message: string, help?: string) => void;

function tokenize(text: string, complain: Complain): Token[] {
  const tokens: Token[] = [];
  const pattern = /([,|])|"((?:[^"\\]|\\.)*)"|'((?:[^']|'')*)'|(["'])[^,|]*|[^\s,|"'][^\s,|]*/gsu;
  for (const match of text.matchAll(pattern)) {
    const [all, mark, double, single, unclosed] = match;
    const at = { start: match.index, end: match.index + all.length };
    if (mark === "," || mark === "|") tokens.push({ kind: mark, text: mark, at });
    else if (double !== undefined) {
      tokens.push({ kind: "quoted", text: double.replace(/\\(.)/gsu, "$1"), at });
    } else if (single !== undefined) {
      tokens.push({ kind: "quoted", text: single.replaceAll("''", "'"), at });
    } else if (unclosed) {
      const help = "close it; where a `#` follows, put the whole line in quotes";
      complain(at, "this quote is never closed", help);
    } else tokens.push({ kind: "word", text: all, at });
  }
  return tokens;
}

function split(tokens: Token[]): { tokens: Token[]; at: Span }[] {
  const segments: { tokens: Token[]; at: Span }[] = [{ tokens: [], at: { start: 0, end: 1 } }];
  for (const token of tokens) {
    if (token.kind === ",") segments.push({ tokens: [], at: token.at });
    else segments.at(-1)?.tokens.push(token);
  }
  return segments;
}

/**
 * The formulas of a definition, by where their option begins, and the text with blanks in their place:
 * commas and quotes mean something else in them.
 */
function takeFormulas(text: string): { rest: string; formulas: Map<number, Word> } {
  const formulas = new Map<number, Word>();
  // Most definitions have none.
  if (!/=|\bwhen\b/.test(text)) return { rest: text, formulas };
  let rest = text;
  for (;;) {
    const [, ...segments] = split(tokenize(rest, () => undefined));
    const head = segments
      .map(
        ({ tokens: [first, second] }) => first && second && { first, begin: begin(first, second) },
      )
      .find((found) => found?.begin !== undefined && !formulas.has(found.first.at.start));
    if (head?.begin === undefined) return { rest, formulas };
    const end = formulaEnd(rest, head.begin);
    const body = text.slice(head.begin, end);
    const start = head.begin + (/\S/.exec(body)?.index ?? 0);
    formulas.set(head.first.at.start, {
      text: body.trim(),
      at: { start, end: start + body.trim().length },
    });
    // The `=` is removed, too, so that nothing is left after `default`.
    const from = text[head.begin - 1] === "=" ? head.begin - 1 : head.begin;
    rest = `${rest.slice(0, from)}${" ".repeat(end - from)}${rest.slice(end)}`;
  }
}

/** Where the formula of an option begins; undefined where it has none. */
function begin(first: Token, second: Token): number | undefined {
  if (first.kind !== "word" || second.kind !== "word") return undefined;
  if (/^(required|shown|offered)$/.test(first.text) && second.text === "when") return second.at.end;
  return first.text === "default" && second.text.startsWith("=") ? second.at.start + 1 : undefined;
}

/** Where a formula ends: at a comma that is in no brackets and no quotes, or with the text. */
function formulaEnd(text: string, from: number): number {
  const marks = /'[^']*('|$)|"[^"]*("|$)|[(),]/g;
  marks.lastIndex = from;
  let depth = 0;
  for (let mark = marks.exec(text); mark; mark = marks.exec(text)) {
    if (mark[0] === "(") depth++;
    else if (mark[0] === ")") depth--;
    else if (mark[0] === "," && depth <= 0) return mark.index;
  }
  return text.length;
}

const relations = /^(one|many|part)$/;

function readType(tokens: Token[], text: string, definition: Definition, complain: Complain): void {
  const [first] = tokens;
  if (!first) return;
  if (first.text === "choice" && first.kind === "word") {
    definition.type = { text: "choice", at: first.at };
    definition.choices = readChoices(tokens.slice(1), text, complain);
    return;
  }
  const rest = [...tokens];
  const ranges = rest.filter(({ kind, text: word }) => kind === "word" && word.includes(".."));
  for (const [index, token] of ranges.entries()) {
    rest.splice(rest.indexOf(token), 1);
    if (index > 0) complain(token.at, "a second range", "a field has one range");
    else readRange(token, definition, complain);
  }
  const quoted = rest.find(({ kind }) => kind !== "word");
  if (quoted) {
    const help =
      quoted.kind === "|"
        ? "only `choice` has values with | between them"
        : "the type stands first";
    complain(
      quoted.at,
      `${quoted.kind === "|" ? "a |" : "a text in quotes"} where the type was expected`,
      help,
    );
    return;
  }
  const count = relations.test(first.text)
    ? first.text === "part" && rest[1]?.text === "of"
      ? 2
      : 1
    : 0;
  if (count > 0 && (first.text !== "part" || count === 2)) {
    const named = rest.slice(0, count);
    definition.type = wordOf(named);
    const [entity, extra] = rest.slice(count);
    if (entity) definition.entity = { text: entity.text, at: entity.at };
    if (extra)
      complain(extra.at, `\`${extra.text}\` after the entity`, "options come after a comma");
    return;
  }
  const option = rest.slice(1).find(({ text: word }) => Object.hasOwn(optionValues, word));
  if (option) {
    complain(option.at, `a comma is missing before \`${option.text}\``, `write ", ${option.text}"`);
    rest.length = rest.indexOf(option);
  }
  const last = rest.at(-1);
  if (last && rest.length > 1 && /^-?\d/.test(last.text)) {
    complain(last.at, `\`${last.text}\` is not a range`, rangeAdvice(last.text));
    rest.pop();
  }
  if (rest.length > 0) definition.type = wordOf(rest);
}

/** How a range is written that somebody wrote as `1-5`, `1:5` or `5`. */
function rangeAdvice(text: string): string {
  const [, low, high] = /^(-?\d[\d.]*)[-–—:~](-?\d[\d.]*)$/.exec(text) ?? [];
  return low !== undefined && high !== undefined
    ? `write ${low}..${high}`
    : `write ..${text} for at most, ${text}.. for at least`;
}

function wordOf(tokens: Token[]): Word {
  const start = tokens[0]?.at.start ?? 0;
  const end = tokens.at(-1)?.at.end ?? start;
  return { text: tokens.map(({ text }) => text).join(" "), at: { start, end } };
}

function readRange(token: Token, definition: Definition, complain: Complain): void {
  const middle = token.text.indexOf("..");
  const low = token.text.slice(0, middle);
  const high = token.text.slice(middle + 2);
  if (low === "" && high === "") {
    complain(token.at, "a range without bounds", "write 2..60, 2.. or ..60, without spaces");
    return;
  }
  for (const bound of [low, high]) {
    if (/^-?\./.test(bound)) {
      complain(
        token.at,
        `\`${bound}\` lacks the digit before the point`,
        `write 0${bound.replace("-", "")}`,
      );
      return;
    }
  }
  const { start } = token.at;
  if (low) definition.min = { text: low, at: { start, end: start + middle } };
  if (high) definition.max = { text: high, at: { start: start + middle + 2, end: token.at.end } };
}

function readChoices(tokens: Token[], text: string, complain: Complain): ChoiceWord[] {
  const groups: Token[][] = [[]];
  for (const token of tokens) {
    if (token.kind === "|") groups.push([]);
    else groups.at(-1)?.push(token);
  }
  return groups.flatMap((group, index) => {
    const at = group.findIndex(({ kind, text: word }) => kind === "word" && word === "was");
    const renamed = at > 0 && at < group.length - 1;
    const value = readValue(renamed ? group.slice(0, at) : group, text, complain);
    const was = renamed ? readValue(group.slice(at + 1), text, complain) : undefined;
    if (value || groups.length === 1) return value ? [{ ...value, ...(was && { was }) }] : [];
    const bar = tokens.filter(({ kind }) => kind === "|")[Math.max(0, index - 1)];
    if (bar) complain(bar.at, "a value is missing beside this |");
    return [];
  });
}

/** The text of one value: a single one in quotes, or what was typed, spaces within it included. */
function readValue(tokens: Token[], text: string, complain: Complain): Word | undefined {
  const [first] = tokens;
  const last = tokens.at(-1);
  if (!first || !last) return undefined;
  const quoted = tokens.find(({ kind }) => kind === "quoted");
  if (quoted && tokens.length > 1) {
    complain(quoted.at, "quotes in the middle of a value", "put the whole value in quotes");
  }
  const bar = tokens.find(({ kind }) => kind === "|");
  if (bar) complain(bar.at, "a | in this value", "put the value in quotes");
  const span = { start: first.at.start, end: last.at.end };
  return {
    text: tokens.length === 1 ? first.text : text.slice(span.start, span.end),
    at: span,
  };
}

function readOption(
  tokens: Token[],
  text: string,
  formulas: ReadonlyMap<number, Word>,
  definition: Definition,
  complain: Complain,
): void {
  const [first, ...rest] = tokens;
  if (!first) return;
  const formula = formulas.get(first.at.start);
  const name = (
    formula && first.text !== "default" ? `${first.text} when` : first.text
  ) as OptionName;
  if (first.kind !== "word" || !Object.hasOwn(optionValues, name)) {
    if (first.kind === "word" && first.text.includes("..")) {
      complain(
        first.at,
        "the range follows a comma",
        "it follows the type: `text 2..60, required`",
      );
      return;
    }
    const span = { start: first.at.start, end: (tokens.at(-1) ?? first).at.end };
    definition.options.set(first.text as OptionName, { text: "", at: span });
    return;
  }
  if (definition.options.has(name)) {
    complain(first.at, `\`${name}\` appears here twice`, "take one out");
    return;
  }
  if (formula) {
    if (formula.text === "") complain(first.at, `\`${name}\` needs a formula behind it`);
    else definition.options.set(name, { ...formula, formula: true });
    return;
  }
  const value = readValue(rest, text, complain);
  if (optionValues[name] === "nothing") {
    if (value)
      complain(
        value.at,
        `\`${name}\` takes no value`,
        "a comma is missing, or the value is too much",
      );
    definition.options.set(name, { text: "yes", at: first.at });
  } else if (!value) {
    complain(first.at, `\`${name}\` needs ${optionValues[name]} behind it`);
  } else {
    definition.options.set(name, value);
  }
}

/** Writes a definition in the short notation, so that reading it gives the same again. */
export function printDefinition(definition: Definition): string {
  const { type, entity, choices, min, max, options } = definition;
  const head = [
    type?.text ?? "text",
    entity?.text,
    choices?.map(printChoice).join(" | "),
    min || max ? `${min?.text ?? ""}..${max?.text ?? ""}` : undefined,
  ];
  const tail = [...options].map(([name, { text, formula }]) => {
    if (optionValues[name] === "nothing") return name;
    if (formula) return `${name} ${name === "default" ? "= " : ""}${text}`;
    return `${name} ${printValue(text)}`;
  });
  return [head.filter(Boolean).join(" "), ...tail].join(", ");
}

function printChoice({ text, was }: ChoiceWord): string {
  const print = (value: string) =>
    /(^|\s)was(\s|$)/.test(value) ? `"${value.replace(/["\\]/g, "\\$&")}"` : printValue(value);
  return was ? `${print(text)} was ${print(was.text)}` : print(text);
}

/** A value as it is safe within a line: in quotes where it would be read as something else. */
function printValue(text: string): string {
  const plain = /^[^\s,|"'#&*!%@`{}[\]:>?=-][^,|"'#:{}[\]\n\r\t]*$/u.test(text);
  return plain && text.trim() === text && !/\s{2,}/.test(text) && !text.includes("..")
    ? text
    : `"${text.replace(/["\\]/g, "\\$&")}"`;
}
