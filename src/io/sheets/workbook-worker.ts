/** Runs beside the command: a workbook is read as a whole, which takes memory and can't be interrupted. */
import { closeSync, openSync, writeSync } from "node:fs";
import { parentPort } from "node:worker_threads";
import { type CellObject, CFB, parse_zip, type WorkBook, type WorkSheet } from "@e965/xlsx";
import { address, type Cell } from "../../core/tabular/cells.ts";
import { headRows, type Merge } from "../../core/tabular/layout.ts";
import type { Workbook } from "./archive.ts";
import { isSheet, type SheetSlice } from "./sheet-slices.ts";
import type { CellRemark, SpooledSlice, WorkbookOrder } from "./workbook.ts";
import { CellReader } from "./workbook-cells.ts";

declare module "@e965/xlsx" {
  /** Reads a workbook that is unpacked. The package has it, but doesn't declare it. */
  function parse_zip(archive: unknown, options: ReadingOptions): WorkBook;
}

interface ReadingOptions {
  dense: true;
  cellFormula: boolean;
  cellNF: boolean;
  cellHTML: boolean;
  cellText: boolean;
  /** The places of the sheets to read: all when absent. */
  sheets?: number[];
}

function readBatch({ workbook, slices, spool }: WorkbookOrder): SpooledSlice[] {
  const ofPart = new Map(slices.map((slice) => [slice.part, slice]));
  const ofSheet = partsOfSheets(workbook).map((part) => ofPart.get(part));
  const book = readParts(
    workbook,
    new Map(slices.map(({ part, pieces }) => [part, Buffer.concat(pieces)])),
    workbook.kind === "xlsx"
      ? ofSheet.flatMap((slice, index) => (slice ? [index] : []))
      : undefined,
  );
  const reader = new CellReader(book.Workbook?.WBProps?.date1904 === true);
  return book.SheetNames.flatMap((name, index) => {
    const slice = workbook.kind === "xlsx" ? ofSheet[index] : { first: 1 };
    if (!slice) return [];
    const sheet = book.Sheets[name];
    if (!sheet) throw new Error(`its sheet ${name} is damaged`);
    // Each is released once it is written.
    delete book.Sheets[name];
    const hidden = (book.Workbook?.Sheets?.[index]?.Hidden ?? 0) !== 0;
    return [{ index, name, hidden, ...spoolSlice(sheet, slice, `${spool}-${index}`, reader) }];
  });
}

/** Reads a workbook, of which some parts are others: all sheets, or some. */
function readParts(
  { kind, parts }: Workbook,
  others: ReadonlyMap<string, Buffer>,
  sheets: number[] | undefined,
): WorkBook {
  const archive = CFB.utils.cfb_new();
  for (const [name, part] of parts) {
    const content = others.get(name) ?? Buffer.from(part.buffer);
    CFB.utils.cfb_add(archive, name, content, { unsafe: true });
  }
  return parse_zip(archive, {
    dense: true,
    cellFormula: true,
    cellNF: true,
    cellHTML: false,
    // In one of the formats, what a number counts is told by how it is shown alone.
    cellText: kind === "ods",
    ...(sheets && { sheets }),
  });
}

/** The part of each sheet of a workbook, found by reading sheets that say nothing but this. */
function partsOfSheets(workbook: Workbook): string[] {
  if (workbook.kind !== "xlsx") return [];
  const names = [...workbook.parts].filter(([, part]) => isSheet(part)).map(([name]) => name);
  const sheets = names.map((name, index): [string, Buffer] => {
    const cell = `<sheetData><row r="1"><c r="A1"><v>${index}</v></c></row></sheetData>`;
    return [name, Buffer.from(`<worksheet>${cell}</worksheet>`)];
  });
  const texts: [string, Buffer][] = [["xl/sharedStrings.xml", Buffer.from("<sst></sst>")]];
  const book = readParts(workbook, new Map([...sheets, ...texts]), undefined);
  return book.SheetNames.map((name) => {
    const said = book.Sheets[name]?.["!data"]?.[0]?.[0]?.v;
    return names[Number(said ?? -1)] ?? "";
  });
}

/** Writes the rows of a slice to a file. */
function spoolSlice(
  sheet: WorkSheet,
  { first, end }: Pick<SheetSlice, "first" | "end">,
  path: string,
  reader: CellReader,
): Omit<SpooledSlice, "index" | "name" | "hidden"> {
  const rows = (sheet["!data"] ?? []) as (CellObject[] | undefined)[];
  const merges = (sheet["!merges"] ?? []).map(
    ({ s, e }): Merge => ({ top: s.r + 1, left: s.c, bottom: e.r + 1, right: e.c }),
  );
  fillDown(rows, merges);
  const formulas: SpooledSlice["formulas"] = new Map();
  const remarks: CellRemark[] = [];
  const remarked = new Set<CellObject>();
  const until = end ?? rows.length + 1;
  const handle = openSync(path, "w");
  try {
    let lines = "";
    for (let number = first; number < until; number++) {
      const row = rows[number - 1] ?? [];
      const cells: Cell[] = [];
      for (let column = 0; column < row.length; column++) {
        const cell = row[column];
        cells.push(reader.read(cell));
        // A cell that spans several rows is the same in each of them.
        if (cell && (cell.c || cell.l) && !remarked.has(cell)) {
          remarked.add(cell);
          remarks.push(...remarksOf(cell, address(column, number)));
        }
        if (cell?.f) noteFormula(formulas, column, relative(cell.f, number));
      }
      rows[number - 1] = undefined;
      lines += `${JSON.stringify(cells)}\n`;
      if (lines.length > 1 << 20) {
        writeSync(handle, lines);
        lines = "";
      }
    }
    writeSync(handle, lines);
  } finally {
    closeSync(handle);
  }
  return {
    path,
    first,
    rows: Math.max(0, until - first),
    merges: merges.filter(({ top }) => top <= headRows),
    remarks,
    formulas,
  };
}

/** The comments on a cell, and the link behind it where this isn't what the cell says. */
function remarksOf({ c: comments = [], l: link, v, w }: CellObject, at: string): CellRemark[] {
  const said = comments.map(({ t }) => String(t ?? "").trim()).filter(Boolean);
  const target = String(link?.Target ?? "");
  const known = [v, w].some((text) => String(text ?? "") === target.replace(/^mailto:/, ""));
  return [
    ...said.map((text) => ({ cell: at, text, kind: "comment" as const })),
    ...(target !== "" && !known ? [{ cell: at, text: target, kind: "link" as const }] : []),
  ];
}

/** A cell that spans several rows counts for each of them. */
function fillDown(rows: (CellObject[] | undefined)[], merges: readonly Merge[]): void {
  for (const { top, left, bottom } of merges) {
    const cell = rows[top - 1]?.[left];
    if (!cell || bottom - top > 100_000) continue;
    for (let row = top; row < bottom; row++) {
      const cells = rows[row] ?? [];
      cells[left] = cell;
      rows[row] = cells;
    }
  }
}

/** A formula with `#` for its own row: `E4*F4` in row 4 is `E#*F#`. Empty when it looks elsewhere too. */
function relative(formula: string, row: number): string {
  let elsewhere = false;
  const text = formula.replace(/\$?([A-Z]{1,3})\$?(\d+)/g, (_, column: string, number: string) => {
    if (Number(number) !== row) elsewhere = true;
    return `${column}#`;
  });
  return elsewhere || text.includes("!") || text.includes(":") ? "" : text;
}

/** A column has one formula, or a few: what is written in each row by hand is none of a column. */
const mostFormulas = 20;

function noteFormula(formulas: SpooledSlice["formulas"], column: number, text: string): void {
  const known = formulas.get(column);
  if (known === undefined) formulas.set(column, new Map([[text, 1]]));
  else if (known.has(text) || known.size < mostFormulas)
    known.set(text, (known.get(text) ?? 0) + 1);
}

parentPort?.on("message", (order: WorkbookOrder) => parentPort?.postMessage(readBatch(order)));
