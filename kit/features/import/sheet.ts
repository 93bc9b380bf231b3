import * as z from "zod";

/** What was read of a file: the titles of its columns, and its rows. */
export interface Sheet {
  titles: string[];
  rows: string[][];
}

/** Why a file can't be taken in. */
export type Unreadable = "empty" | "large" | "unreadable";

/** The most that a file has: rows, columns, and characters in all. */
export const mostRows = 2000;
const mostColumns = 100;
const mostCharacters = 1_500_000;
/** The most bytes that a workbook unpacks to. */
const mostUnpacked = 60_000_000;

const written = z.object({
  titles: z.array(z.string()).max(mostColumns),
  rows: z.array(z.array(z.string()).max(mostColumns)).max(mostRows),
});

/** Reads a file: a workbook, of which the first sheet is taken, or a text with separators. */
export async function sheetOf(content: Uint8Array): Promise<Sheet | Unreadable> {
  const isArchive = content[0] === 0x50 && content[1] === 0x4b;
  let lines: string[][];
  try {
    lines = isArchive ? await workbookLines(content) : await textLines(content);
  } catch {
    return "unreadable";
  }
  const filled = lines.filter((line) => line.some((cell) => cell.trim() !== ""));
  const [titles, ...rows] = filled;
  if (!titles || rows.length === 0) return "empty";
  const width = Math.max(...filled.map(({ length }) => length));
  const size = filled.reduce((sum, line) => sum + line.join("").length, 0);
  if (rows.length > mostRows || width > mostColumns || size > mostCharacters) return "large";
  return {
    titles: Array.from({ length: width }, (_, at) => (titles[at] ?? "").trim()),
    rows: rows.map((row) => Array.from({ length: width }, (_, at) => row[at] ?? "")),
  };
}

/** A sheet as the pages of an import carry it from one to the next. */
export function writtenSheet(sheet: Sheet): string {
  return JSON.stringify(sheet);
}

/** The sheet that a page carried; undefined where it isn't one. */
export function readSheet(text: string): Sheet | undefined {
  try {
    return written.parse(JSON.parse(text));
  } catch {
    return undefined;
  }
}

async function textLines(content: Uint8Array): Promise<string[][]> {
  const { default: Papa } = await import("papaparse");
  const text = decoded(content);
  if (text.includes("\0")) throw new Error("This is no text.");
  const { data } = Papa.parse<string[]>(text, { preview: mostRows + 2, skipEmptyLines: true });
  return data.map((line) => line.map(plainText));
}

/** UTF-8, or what older programs write in western languages. */
function decoded(content: Uint8Array): string {
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(content);
  } catch {
    return new TextDecoder("windows-1252").decode(content);
  }
}

/** A text without the apostrophe that keeps spreadsheets from taking it for a formula. */
function plainText(text: string): string {
  return text.replace(/^'(?=\s*[=+\-@])/, "");
}

async function workbookLines(content: Uint8Array): Promise<string[][]> {
  await requireSmall(Buffer.from(content));
  const { default: Excel } = await import("exceljs");
  const workbook = new Excel.Workbook();
  await workbook.xlsx.load(
    content.buffer.slice(
      content.byteOffset,
      content.byteOffset + content.byteLength,
    ) as ArrayBuffer,
  );
  const [sheet] = workbook.worksheets;
  const lines: string[][] = [];
  sheet?.eachRow((row) => {
    if (lines.length > mostRows + 1) return;
    const cells = Array.isArray(row.values) ? row.values.slice(1, mostColumns + 2) : [];
    lines.push(Array.from(cells, cellText));
  });
  return lines;
}

/** Throws where a workbook unpacks to more than it may, or to another size than it says. */
async function requireSmall(content: Buffer): Promise<void> {
  const { default: yauzl } = await import("yauzl");
  const archive = await yauzl.fromBufferPromise(content, { lazyEntries: true });
  let size = 0;
  for await (const entry of archive.eachEntry()) {
    size += entry.uncompressedSize;
    if (size > mostUnpacked) throw new Error("The workbook is too large.");
    if (entry.fileName.endsWith("/")) continue;
    const stream = await archive.openReadStreamPromise(entry);
    for await (const _ of stream) {
      // Reading it to its end compares its size with what it says.
    }
  }
}

/** What is in a cell of a workbook, as somebody would type it. */
function cellText(value: unknown): string {
  if (value === null || value === undefined) return "";
  if (value instanceof Date) return momentText(value);
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value !== "object") return String(value);
  if ("richText" in value && Array.isArray(value.richText)) {
    return value.richText.map((part: { text?: unknown }) => String(part.text ?? "")).join("");
  }
  if ("result" in value) return cellText(value.result);
  if ("text" in value) return cellText(value.text);
  return "";
}

/** A day, or a moment where there is a time in it; the dates of workbooks have no zone. */
function momentText(date: Date): string {
  if (Number.isNaN(date.getTime())) return "";
  const text = new Date(Math.round(date.getTime() / 1000) * 1000).toISOString();
  return text.endsWith("T00:00:00.000Z") ? text.slice(0, 10) : text.slice(0, 16).replace("T", " ");
}
