import { closeSync, openSync, readSync } from "node:fs";
import { join } from "node:path";
import { Worker } from "node:worker_threads";
import type { Cell } from "../../core/tabular/cells.ts";
import type { Merge } from "../../core/tabular/layout.ts";
import { packageRoot } from "../package.ts";
import { checkWorkbook, damaged } from "./archive.ts";
import type { TemporaryFolder } from "./temporary.ts";
import type { ParsedStep } from "./text.ts";

/** What the worker is told: the workbook, and where the rows of its sheets go. It begins once it is told of which kind that is. */
export interface WorkbookOrder {
  path: string;
  spool: string;
}

/** What hangs on a cell besides its value. */
export interface CellRemark {
  /** Its address: `C17`. */
  cell: string;
  kind: "comment" | "link";
  text: string;
}

/** A sheet whose rows wait in a file, a line of JSON each. */
export interface SpooledSheet {
  name: string;
  hidden: boolean;
  path: string;
  rows: number;
  /** Cells that are one, near the top. */
  merges: Merge[];
  remarks: CellRemark[];
  /** Columns with the same formula of their own row, and how often. */
  formulas: { column: number; text: string; count: number }[];
}

/** Reading a workbook takes about so many times as long as unpacking it. */
const readingTimes = 25;

/** Reads a workbook, XLSX or ODS, into files of rows. `expect` is told about how many milliseconds it takes. */
export async function spoolWorkbook(
  path: string,
  name: string,
  folder: TemporaryFolder,
  expect: (milliseconds: number) => void,
): Promise<SpooledSheet[]> {
  const order: WorkbookOrder = { path, spool: folder.newPath() };
  // It starts while the workbook is checked, and waits for the word.
  const worker = new Worker(join(packageRoot, "dist", "workbook-worker.js"), {
    workerData: order,
    resourceLimits: { maxOldGenerationSizeMb: 4096, maxYoungGenerationSizeMb: 64 },
    // The package's messages about formats are of no use to anyone.
    stdout: true,
    stderr: true,
  });
  try {
    const begun = performance.now();
    worker.postMessage(await checkWorkbook(path, name));
    expect(readingTimes * (performance.now() - begun));
  } catch (error) {
    await worker.terminate();
    throw error;
  }
  return new Promise((resolve, reject) => {
    worker.once("message", resolve);
    worker.once("error", (error) => reject(damaged(name, error.message)));
    worker.once("exit", () => reject(damaged(name, "reading it ended too early")));
  });
}

/** Reads the rows of such a file, some thousands at a time. */
export function* readSpooledRows({ path, rows }: SpooledSheet): Generator<ParsedStep> {
  const handle = openSync(path, "r");
  try {
    const decoder = new TextDecoder();
    const bytes = Buffer.allocUnsafe(1 << 20);
    let pending = "";
    let next = 1;
    for (let length = readSync(handle, bytes); length > 0; length = readSync(handle, bytes)) {
      pending += decoder.decode(bytes.subarray(0, length), { stream: true });
      const end = pending.lastIndexOf("\n");
      if (end < 0) continue;
      const batch = JSON.parse(`[${pending.slice(0, end).replaceAll("\n", ",")}]`) as Cell[][];
      pending = pending.slice(end + 1);
      yield { first: next, rows: batch, share: (next + batch.length) / Math.max(1, rows) };
      next += batch.length;
    }
  } finally {
    closeSync(handle);
  }
}
