import { isUtf8 } from "node:buffer";
import { closeSync, openSync, readSync, statSync } from "node:fs";
import iconv from "iconv-lite";
import Papa from "papaparse";
import { Failure } from "../../core/failure.ts";
import type { Cell, RowBatch } from "../../core/tabular/cells.ts";
import { byteEncodings, type Encoding, likeliest } from "../../core/tabular/encodings.ts";
import type { TextFormat } from "../../core/tabular/plan.ts";
import { inputFailure, isWideText } from "./sniff.ts";

const chunkBytes = 1 << 18;
/** A quoted cell that isn't closed within so many characters never will be. */
const mostOpen = 16_000_000;

/** Some rows as they were parsed, and how much of the file is read. */
export interface ParsedStep {
  first: number;
  rows: Cell[][];
  /** From 0 to 1. */
  share: number;
}

/** What a step of reading tells: the rows, and how much of the file is read. */
export interface ReadStep extends RowBatch {
  /** From 0 to 1. */
  share: number;
}

/** Pieces of a file, in order; each is overwritten by the next one. Fails when the file changes or disappears meanwhile. */
function* pieces(path: string, name: string): Generator<{ bytes: Buffer; share: number }> {
  let handle: number;
  let size: number;
  try {
    size = statSync(path).size;
    handle = openSync(path, "r");
  } catch (error) {
    throw inputFailure(path, error);
  }
  try {
    const bytes = Buffer.allocUnsafe(chunkBytes);
    for (let read = 0; ; ) {
      let length: number;
      try {
        length = readSync(handle, bytes);
      } catch (error) {
        throw inputFailure(path, error);
      }
      if (length === 0) {
        if (read < size)
          throw new Failure("outside", `${name} became shorter while it was read`, "try again");
        return;
      }
      read += length;
      yield { bytes: bytes.subarray(0, length), share: Math.min(1, read / size) };
    }
  } finally {
    closeSync(handle);
  }
}

/** Finds out how a text file is written. */
export function findTextFormat(path: string, name: string): TextFormat {
  const encoding = findEncoding(path, name);
  let head = "";
  for (const text of decoded(path, name, encoding)) {
    head += text.text;
    if (head.length > 200_000) break;
  }
  const separator = /^sep=(.)\r?\n/.exec(head);
  const lines = separator ? head.slice(separator[0].length) : head;
  const delimiter = separator?.[1] ?? findDelimiter(lines, /\.tsv$/i.test(name) || name === "-");
  return { delimiter, quote: findQuote(lines, delimiter), encoding };
}

function findEncoding(path: string, name: string): Encoding {
  let rest = Buffer.alloc(0);
  let first = true;
  for (const { bytes } of pieces(path, name)) {
    if (first) {
      const hex = bytes.subarray(0, 3).toString("hex");
      if (hex.startsWith("fffe")) return "utf-16le";
      if (hex.startsWith("feff")) return "utf-16be";
      const wide = isWideText(bytes.subarray(0, 8192));
      if (wide) return wide;
      first = false;
    }
    // A character may be cut in two where a piece ends: the last one waits for the next piece.
    const whole = Buffer.concat([rest, bytes]);
    let end = whole.length - 1;
    while (end > whole.length - 4 && end > 0 && ((whole[end] as number) & 0xc0) === 0x80) end--;
    if ((whole[end] as number) < 0x80) end = whole.length;
    if (!isUtf8(whole.subarray(0, end))) return byteEncoding(path, name);
    rest = Buffer.from(whole.subarray(end));
  }
  return isUtf8(rest) ? "utf-8" : byteEncoding(path, name);
}

/** How many bytes beyond ASCII are looked at, with those round each. */
const mostStrange = 4000;
const around = 8;

/** The encoding with one byte a letter that makes words of a file. */
function byteEncoding(path: string, name: string): Encoding {
  const parts: Buffer[] = [];
  for (const { bytes } of pieces(path, name)) {
    for (let at = 0; at < bytes.length && parts.length < mostStrange; at++) {
      if ((bytes[at] as number) < 0x80) continue;
      const end = Math.min(bytes.length, at + around);
      const near = bytes.subarray(Math.max(0, at - around), end);
      parts.push(Buffer.concat([near, Buffer.from("\n")]));
      at = end - 1;
    }
    if (parts.length >= mostStrange) break;
  }
  const sample = Buffer.concat(parts);
  return likeliest(new Map(byteEncodings.map((each) => [each, iconv.decode(sample, each)])));
}

/** The text of a file, piece by piece, with one kind of line ends. */
function* decoded(
  path: string,
  name: string,
  encoding: Encoding,
): Generator<{ text: string; share: number }> {
  const decoder = iconv.getDecoder(encoding);
  let held = "";
  for (const { bytes, share } of pieces(path, name)) {
    let text = held + decoder.write(bytes);
    held = text.endsWith("\r") ? "\r" : "";
    if (held) text = text.slice(0, -1);
    yield { text: unixLines(text), share };
  }
  yield { text: unixLines(held + (decoder.end() ?? "")), share: 1 };
}

function unixLines(text: string): string {
  return text.includes("\r") ? text.replace(/\r\n?/g, "\n") : text;
}

const delimiters = [",", ";", "\t", "|"];

/** The sign that cuts most of the first lines into the same number of cells. */
function findDelimiter(head: string, preferTab: boolean): string {
  const lines = head.slice(0, head.lastIndexOf("\n") + 1) || head;
  const scored = delimiters.map((delimiter) => {
    const { data } = Papa.parse<string[]>(lines, {
      delimiter,
      newline: "\n",
      preview: 60,
      skipEmptyLines: true,
    });
    const widths = data.map(({ length }) => length).filter((length) => length > 1);
    const counts = new Map<number, number>();
    for (const width of widths) counts.set(width, (counts.get(width) ?? 0) + 1);
    const alike = Math.max(0, ...counts.values());
    const preferred = preferTab && delimiter === "\t" ? 0.1 : 0;
    return {
      delimiter,
      score: data.length === 0 ? 0 : (alike + 0.5 * widths.length) / data.length + preferred,
    };
  });
  scored.sort((a, b) => b.score - a.score);
  const [best] = scored;
  return best && best.score > 0.3 ? best.delimiter : ",";
}

function findQuote(head: string, delimiter: string): string {
  if (head.includes('"')) return '"';
  const cells = head
    .split("\n")
    .slice(0, 50)
    .flatMap((line) => line.split(delimiter));
  const single = cells.filter((cell) => /^'.*'$/.test(cell.trim())).length;
  return single * 2 > cells.length ? "'" : '"';
}

interface ParserResult {
  data: string[][];
  errors: { type: string; code: string; row?: number; index?: number }[];
  meta: { cursor: number };
}

// The package's parser of one text after another, which its types leave out.
const { Parser } = Papa as unknown as {
  Parser: new (
    config: object,
  ) => { parse(text: string, base: number, leaveLast: boolean): ParserResult };
};

/** Reads the rows of a text file, some thousands at a time. */
export function* readTextRows(
  path: string,
  name: string,
  { delimiter, quote, encoding }: TextFormat,
  onStrayQuotes: (row: number) => void = () => undefined,
): Generator<ParsedStep> {
  const config = { delimiter, newline: "\n", quoteChar: quote, escapeChar: quote };
  let pending = "";
  let next = 1;
  let beginning = true;
  const parse = (share: number, last: boolean) => {
    const { data, errors, meta } = new Parser(config).parse(pending, 0, !last);
    for (const { code, row = 0 } of errors) {
      if (code === "MissingQuotes") throw unclosed(name, next + row, data[row]?.length ?? 1);
      if (code === "InvalidQuotes") onStrayQuotes(next + row);
    }
    pending = last ? "" : pending.slice(meta.cursor);
    const step = { first: next, rows: data, share };
    next += data.length;
    return step;
  };
  for (const { text, share } of decoded(path, name, encoding)) {
    pending += text;
    if (beginning && pending.length > 6) {
      // A spreadsheet's own hint to itself is no row, but counts as one.
      if (/^sep=.\n/.test(pending)) {
        pending = pending.slice(6);
        yield { first: next++, rows: [[]], share };
      }
      beginning = false;
    }
    if (pending.length > mostOpen) throw unclosed(name, next, 1);
    const step = parse(share, false);
    if (step.rows.length > 0) yield step;
  }
  if (pending !== "") yield parse(1, true);
}

function unclosed(name: string, row: number, column: number): Failure {
  return new Failure(
    "input",
    `${name}, row ${row}: a quote is opened and never closed, in cell ${column} of the row or after it`,
    "close the quote in the file, or name another sign for quotes in a plan",
  );
}
