import type { Content, TableCell } from "pdfmake/interfaces.js";
import type { Scope } from "../../access/scope.ts";
import type { Row } from "../../entity/entity.ts";
import type { Cell, ExportColumn } from "./cells.ts";

/** How many rows are put on pages: more would be read by nobody. */
export const mostPrinted = 5000;

/** Rows as a table on pages, with its heading on each of them. */
export async function pdfOf(
  scope: Scope,
  title: string,
  columns: readonly ExportColumn[],
  rows: AsyncIterable<readonly Row[]>,
): Promise<Buffer> {
  const pdfmake = (await import("pdfmake")).default;
  const { default: fonts } = await import("pdfmake/fonts/Roboto.js");
  pdfmake.addFonts(fonts);
  pdfmake.setUrlAccessPolicy(() => false);
  const { messages, format, settings } = scope;
  const heading = columns.map(({ label, numeric }): TableCell => {
    return { text: label, bold: true, alignment: numeric ? "right" : "left", fillColor: "#eeeae0" };
  });
  const body: TableCell[][] = [heading];
  for await (const some of rows) {
    for (const row of some) {
      body.push(
        columns.map((column) => ({
          text: printed(scope, column.cell(row), column),
          alignment: column.numeric ? "right" : "left",
        })),
      );
    }
  }
  const table: Content = {
    table: { headerRows: 1, widths: columns.map(() => "auto"), body, dontBreakRows: true },
    layout: "lightHorizontalLines",
  };
  return pdfmake
    .createPdf({
      pageSize: "A4",
      pageOrientation: columns.length > 7 ? "landscape" : "portrait",
      pageMargins: [36, 44, 36, 44],
      info: { title, author: settings.name },
      defaultStyle: { font: "Roboto", fontSize: 9 },
      header: { text: settings.name, margin: [36, 20, 36, 0], fontSize: 8, color: "#5f5748" },
      footer: (page, pages) => ({
        text: `${format.date(scope.today)} · ${messages.pageOf(format.number(page), format.number(pages))}`,
        margin: [36, 12, 36, 0],
        fontSize: 8,
        color: "#5f5748",
      }),
      content: [{ text: title, fontSize: 15, bold: true, margin: [0, 0, 0, 10] }, table],
    })
    .getBuffer();
}

/** A cell as people read it. */
export function printed({ format }: Scope, cell: Cell, { isMoney }: ExportColumn): string {
  if (cell === null) return "";
  if (typeof cell === "number") return isMoney ? format.money(cell) : format.number(cell);
  if (typeof cell === "string") return cell;
  return "day" in cell ? format.date(cell.day) : cell.moment.replace("T", " ");
}
