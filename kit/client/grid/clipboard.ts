import Papa from "papaparse";

/** A rectangle of cells that was copied from a spreadsheet. */
export function parseCells(text: string): string[][] {
  const { data } = Papa.parse<string[]>(text.replace(/\r?\n$/, ""), { delimiter: "\t" });
  return data;
}

/** A rectangle of cells as spreadsheets take it. */
export function writtenCells(rows: readonly (readonly string[])[]): string {
  return Papa.unparse(rows as string[][], { delimiter: "\t", newline: "\n" });
}
