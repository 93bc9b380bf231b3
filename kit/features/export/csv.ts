import type { Row } from "../../entity/entity.ts";
import { cellText, type ExportColumn, harmless } from "./cells.ts";

/** Rows as a CSV file, some lines at a time. It begins with a mark by which programs for spreadsheets know its encoding. */
export async function* csvOf(
  columns: readonly ExportColumn[],
  rows: AsyncIterable<readonly Row[]>,
): AsyncGenerator<Buffer> {
  const { default: Papa } = await import("papaparse");
  const lines = (cells: unknown[][]) => `${Papa.unparse(cells, { newline: "\r\n" })}\r\n`;
  yield Buffer.from(`\ufeff${lines([columns.map(({ label }) => harmless(label))])}`);
  for await (const some of rows) {
    if (some.length > 0)
      yield Buffer.from(lines(some.map((row) => columns.map(({ cell }) => cellText(cell(row))))));
  }
}
