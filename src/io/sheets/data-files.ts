import { closeSync, openSync, writeSync } from "node:fs";
import { Failure } from "../../core/failure.ts";
import { fileFailure, ownerOnly } from "../project/files.ts";
import { type ReadStep, readTextRows } from "./text.ts";

/** Writes a CSV file row by row: commas, quotes where needed, a line feed behind each row, UTF-8. */
export class CsvWriter {
  readonly #handle: number;
  #rows: (readonly (string | null)[])[] = [];
  rows = 0;

  constructor(
    readonly path: string,
    header: readonly string[],
  ) {
    try {
      this.#handle = openSync(path, "w", ownerOnly.file);
    } catch (error) {
      throw fileFailure("write", path, error);
    }
    this.#rows.push(header);
  }

  write(row: readonly (string | null)[]): void {
    this.#rows.push(row);
    this.rows++;
    if (this.#rows.length >= 2000) this.#flush();
  }

  #flush(): void {
    if (this.#rows.length === 0) return;
    try {
      writeSync(this.#handle, this.#rows.map(csvLine).join(""));
    } catch (error) {
      throw fileFailure("write", this.path, error);
    }
    this.#rows = [];
  }

  close(): void {
    this.#flush();
    closeSync(this.#handle);
  }
}

/** A row as CSV. */
function csvLine(row: readonly (string | null)[]): string {
  let line = "";
  for (let at = 0; at < row.length; at++) {
    const cell = row[at] ?? "";
    if (at > 0) line += ",";
    line += /[",\n\r]|^\s|\s$/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell;
  }
  return `${line}\n`;
}

/** Reads a CSV file that Levadura or a person wrote for it: a header of names, then rows as wide as it. */
export function* readDataFile(
  path: string,
  name: string,
): Generator<ReadStep & { header: string[] }> {
  const format = { delimiter: ",", quote: '"', encoding: "utf-8" } as const;
  let header: string[] | undefined;
  for (const step of readTextRows(path, name, format)) {
    let { rows, first } = step;
    if (!header) {
      header = (rows[0] as string[] | undefined)?.map((cell) => cell.replace(/^\uFEFF/, "").trim());
      rows = rows.slice(1);
      first++;
    }
    if (!header) continue;
    // A line feed at the end makes no row.
    const kept = rows.filter((row) => row.length > 1 || row[0] !== "" || header?.length === 1);
    for (const row of kept) {
      if (row.length !== header.length && row.length > 1) {
        throw new Failure(
          "input",
          `${name}, row ${first + rows.indexOf(row)}: ${row.length} cells, where the header has ${header.length}`,
          "correct the row; a comma within a cell needs quotes around the cell",
        );
      }
    }
    yield { ...step, rows: kept, first, header };
  }
}
