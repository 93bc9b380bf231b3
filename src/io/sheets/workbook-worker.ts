/** Runs beside the command: a workbook is read as a whole, which takes memory and can't be interrupted. */
import { closeSync, openSync, readFileSync, writeSync } from "node:fs";
import { parentPort, workerData } from "node:worker_threads";
import { type CellObject, read, type WorkSheet } from "@e965/xlsx";
import { address, type Cell } from "../../core/tabular/cells.ts";
import { headRows, type Merge } from "../../core/tabular/layout.ts";
import type { WorkbookKind } from "./archive.ts";
import type { CellRemark, SpooledSheet, WorkbookOrder } from "./workbook.ts";
import { CellReader } from "./workbook-cells.ts";

const { path, spool } = workerData as WorkbookOrder;
const options = (kind: WorkbookKind) =>
  ({
    dense: true,
    cellFormula: true,
    cellNF: true,
    cellHTML: false,
    // In one of the formats, what a number counts is told by how it is shown alone.
    cellText: kind === "ods",
    cellDates: false,
  }) as const;

function readAll(kind: WorkbookKind): SpooledSheet[] {
  const bytes = readFileSync(path);
  const book = read(bytes, options(kind));
  const reader = new CellReader(book.Workbook?.WBProps?.date1904 === true);
  return book.SheetNames.map((name, index) => {
    const sheet = book.Sheets[name] as WorkSheet;
    const spooled = spoolSheet(sheet, `${spool}-${index}`, reader);
    // Each is released once it is written.
    delete book.Sheets[name];
    const hidden = (book.Workbook?.Sheets?.[index]?.Hidden ?? 0) !== 0;
    return { name, hidden, ...spooled };
  });
}

function spoolSheet(sheet: WorkSheet, path: string, reader: CellReader) {
  const rows = (sheet["!data"] ?? []) as (CellObject[] | undefined)[];
  const merges = (sheet["!merges"] ?? []).map(
    ({ s, e }): Merge => ({ top: s.r + 1, left: s.c, bottom: e.r + 1, right: e.c }),
  );
  fillDown(rows, merges);
  const formulas = new Map<number, { text: string; count: number } | null>();
  const remarks: CellRemark[] = [];
  const remarked = new Set<CellObject>();
  const handle = openSync(path, "w");
  try {
    let lines = "";
    for (let index = 0; index < rows.length; index++) {
      const row = rows[index] ?? [];
      const cells: Cell[] = [];
      for (let column = 0; column < row.length; column++) {
        const cell = row[column];
        cells.push(reader.read(cell));
        // A cell that spans several rows is the same in each of them.
        if (cell && (cell.c || cell.l) && !remarked.has(cell)) {
          remarked.add(cell);
          remarks.push(...remarksOf(cell, address(column, index + 1)));
        }
        if (cell?.f) noteFormula(formulas, column, relative(cell.f, index + 1));
      }
      rows[index] = undefined;
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
    rows: rows.length,
    merges: merges.filter(({ top }) => top <= headRows),
    remarks,
    formulas: [...formulas].flatMap(([column, found]) => (found ? [{ column, ...found }] : [])),
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

/** A formula with `#` for its own row: `E4*F4` in row 4 is `E#*F#`. Undefined when it looks elsewhere too. */
function relative(formula: string, row: number): string | undefined {
  let elsewhere = false;
  const text = formula.replace(/\$?([A-Z]{1,3})\$?(\d+)/g, (_, column: string, number: string) => {
    if (Number(number) !== row) elsewhere = true;
    return `${column}#`;
  });
  return elsewhere || text.includes("!") || text.includes(":") ? undefined : text;
}

function noteFormula(
  formulas: Map<number, { text: string; count: number } | null>,
  column: number,
  text: string | undefined,
): void {
  const known = formulas.get(column);
  if (known === null) return;
  if (known === undefined) formulas.set(column, text === undefined ? null : { text, count: 1 });
  else if (known.text === text) known.count++;
}

parentPort?.once("message", (kind: WorkbookKind) => parentPort?.postMessage(readAll(kind)));
