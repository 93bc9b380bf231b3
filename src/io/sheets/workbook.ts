import { closeSync, openSync, readSync } from "node:fs";
import { availableParallelism } from "node:os";
import { join } from "node:path";
import { Worker } from "node:worker_threads";
import type { Cell } from "../../core/tabular/cells.ts";
import type { Merge } from "../../core/tabular/layout.ts";
import { packageRoot } from "../package.ts";
import { damaged, unpackWorkbook, type Workbook } from "./archive.ts";
import { batchesOf, type SheetSlice } from "./sheet-slices.ts";
import type { TemporaryFolder } from "./temporary.ts";
import type { ParsedStep } from "./text.ts";

/** What a worker is told: a workbook, what to read of it, and where its rows go. */
export interface WorkbookOrder {
  workbook: Workbook;
  slices: SheetSlice[];
  spool: string;
}

/** What hangs on a cell besides its value. */
export interface CellRemark {
  /** Its address: `C17`. */
  cell: string;
  kind: "comment" | "link";
  text: string;
}

/** Some rows of a sheet, which wait in a file, a line of JSON each. */
export interface SpooledSlice {
  /** Where its sheet comes among the sheets. */
  index: number;
  name: string;
  hidden: boolean;
  first: number;
  rows: number;
  path: string;
  /** Cells that are one, near the top. */
  merges: Merge[];
  remarks: CellRemark[];
  /** The formulas of its columns, and how often each is there: with `#` for their own row, empty where they look elsewhere. */
  formulas: Map<number, Map<string, number>>;
}

/** A sheet whose rows wait in files. */
export interface SpooledSheet {
  name: string;
  hidden: boolean;
  rows: number;
  paths: string[];
  merges: Merge[];
  remarks: CellRemark[];
  /** Columns that begin with a formula of their own row, and how often it is there. */
  formulas: { column: number; text: string; count: number }[];
}

/** Reading a workbook takes about so many times as long as unpacking it. */
const readingTimes = 25;

/** The most that read at the same time. */
const mostWorkers = 3;

/** Reads a workbook, XLSX or ODS, into files of rows. `expect` is told about how many milliseconds it takes. */
export async function spoolWorkbook(
  path: string,
  name: string,
  folder: TemporaryFolder,
  expect: (milliseconds: number) => void,
): Promise<SpooledSheet[]> {
  // It starts while the workbook is unpacked.
  const workers = [startWorker()];
  try {
    const begun = performance.now();
    const workbook = await unpackWorkbook(path, name);
    expect(readingTimes * (performance.now() - begun));
    const batches = batchesOf(workbook);
    const count = Math.min(batches.length, availableParallelism(), mostWorkers);
    while (workers.length < count) workers.push(startWorker());
    const slices: SpooledSlice[] = [];
    await Promise.all(
      workers.map(async (worker) => {
        for (let next = batches.shift(); next; next = batches.shift()) {
          const order = { workbook, slices: next, spool: folder.newPath() };
          slices.push(...(await answer(worker, order, name)));
        }
      }),
    );
    return sheetsOf(slices);
  } finally {
    await Promise.all(workers.map((worker) => worker.terminate()));
  }
}

/** Reading a workbook can't be interrupted, so it runs beside the command. */
function startWorker(): Worker {
  return new Worker(join(packageRoot, "dist", "workbook-worker.js"), {
    resourceLimits: { maxOldGenerationSizeMb: 4096, maxYoungGenerationSizeMb: 64 },
    // The package's messages about formats are of no use to anyone.
    stdout: true,
    stderr: true,
  });
}

function answer(worker: Worker, order: WorkbookOrder, name: string): Promise<SpooledSlice[]> {
  return new Promise((resolve, reject) => {
    worker.removeAllListeners();
    worker.once("message", resolve);
    worker.once("error", (error) => reject(damaged(name, error.message)));
    worker.once("exit", () => reject(damaged(name, "reading it ended too early")));
    worker.postMessage(order);
  });
}

/** The sheets that slices are of, in their order. */
function sheetsOf(slices: readonly SpooledSlice[]): SpooledSheet[] {
  const sheets: SpooledSlice[][] = [];
  for (const slice of slices) {
    sheets[slice.index] ??= [];
    sheets[slice.index]?.push(slice);
  }
  return sheets.flatMap((parts) => {
    parts.sort((one, other) => one.first - other.first);
    const [first] = parts;
    return first === undefined
      ? []
      : {
          name: first.name,
          hidden: first.hidden,
          merges: first.merges,
          rows: parts.reduce((sum, { rows }) => sum + rows, 0),
          paths: parts.map(({ path }) => path),
          remarks: parts.flatMap(({ remarks }) => remarks),
          formulas: sumOfFormulas(parts),
        };
  });
}

function sumOfFormulas(parts: readonly SpooledSlice[]): SpooledSheet["formulas"] {
  const firsts = new Map<number, string>();
  for (const { formulas } of parts) {
    for (const [column, found] of formulas) {
      const [first = ""] = found.keys();
      if (!firsts.has(column)) firsts.set(column, first);
    }
  }
  return [...firsts]
    .filter(([, text]) => text !== "")
    .map(([column, text]) => ({
      column,
      text,
      count: parts.reduce((sum, { formulas }) => sum + (formulas.get(column)?.get(text) ?? 0), 0),
    }));
}

/** Reads the rows of such a sheet, some thousands at a time. */
export function* readSpooledRows({ paths, rows }: SpooledSheet): Generator<ParsedStep> {
  let next = 1;
  for (const path of paths) {
    for (const batch of readLines(path)) {
      yield { first: next, rows: batch, share: (next + batch.length) / Math.max(1, rows) };
      next += batch.length;
    }
  }
}

function* readLines(path: string): Generator<Cell[][]> {
  const handle = openSync(path, "r");
  try {
    const decoder = new TextDecoder();
    const bytes = Buffer.allocUnsafe(1 << 20);
    let pending = "";
    for (let length = readSync(handle, bytes); length > 0; length = readSync(handle, bytes)) {
      pending += decoder.decode(bytes.subarray(0, length), { stream: true });
      const end = pending.lastIndexOf("\n");
      if (end < 0) continue;
      yield JSON.parse(`[${pending.slice(0, end).replaceAll("\n", ",")}]`) as Cell[][];
      pending = pending.slice(end + 1);
    }
  } finally {
    closeSync(handle);
  }
}
