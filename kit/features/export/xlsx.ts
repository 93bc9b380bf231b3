import { once } from "node:events";
import { PassThrough, type Readable } from "node:stream";
import type { Row } from "../../entity/entity.ts";
import type { Cell, ExportColumn } from "./cells.ts";

/** How many rows a sheet of a workbook can have, with its heading. */
export const mostSheetRows = 1_048_576;

/** Rows as a workbook of one sheet, written while they are read. */
export async function xlsxOf(
  title: string,
  columns: readonly ExportColumn[],
  rows: AsyncIterable<readonly Row[]>,
): Promise<Readable> {
  const { default: Excel } = await import("exceljs");
  const out = new PassThrough();
  const workbook = new Excel.stream.xlsx.WorkbookWriter({ stream: out, useStyles: true });
  const sheet = workbook.addWorksheet(sheetName(title), {
    views: [{ state: "frozen", ySplit: 1 }],
  });
  sheet.columns = columns.map(({ label, numeric }) => ({
    header: label,
    width: Math.min(40, Math.max(numeric ? 12 : 18, label.length + 2)),
  }));
  sheet.getRow(1).font = { bold: true };
  const write = async () => {
    for await (const some of rows) {
      for (const row of some) {
        const cells = columns.map(({ cell }) => cell(row));
        const line = sheet.addRow(cells.map(valueOfCell));
        cells.forEach((cell, at) => {
          const format = formatOf(cell, columns[at]);
          if (format) line.getCell(at + 1).numFmt = format;
        });
        line.commit();
      }
      if (out.destroyed) return;
      if (out.writableNeedDrain) await once(out, "drain");
    }
    sheet.commit();
    await workbook.commit();
  };
  write().catch((error: Error) => out.destroy(error));
  return out;
}

/** Texts are written as texts, so that none is taken for a formula. */
function valueOfCell(cell: Cell): string | number | Date | null {
  if (cell === null || typeof cell !== "object") return cell;
  return new Date("day" in cell ? `${cell.day}T00:00:00Z` : `${cell.moment}:00Z`);
}

function formatOf(cell: Cell, column: ExportColumn | undefined): string | undefined {
  if (cell !== null && typeof cell === "object") {
    return "day" in cell ? "yyyy-mm-dd" : "yyyy-mm-dd hh:mm";
  }
  return column?.isMoney && typeof cell === "number" ? "#,##0.00" : undefined;
}

/** A name that a sheet can have. */
export function sheetName(title: string): string {
  return (
    title
      .replace(/[\\/?*[\]:']/g, " ")
      .trim()
      .slice(0, 31) || "1"
  );
}
