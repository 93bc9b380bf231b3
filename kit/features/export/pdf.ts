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
  const lines: PrintedLine[] = [];
  for await (const some of rows) {
    for (const row of some)
      lines.push({ cells: columns.map((column) => printed(scope, column.cell(row), column)) });
  }
  const heading = columns.map(({ label, numeric }) => ({ text: label, numeric }));
  return tablePages(scope, title, { heading, lines });
}

/** A line of a table on pages. */
interface PrintedLine {
  cells: readonly string[];
  isBold?: boolean;
  /** The colour behind it. */
  fill?: string;
}

/** A table on pages, with its heading on each of them. */
export async function tablePages(
  scope: Scope,
  title: string,
  {
    heading,
    lines,
  }: {
    heading: readonly { text: string; numeric: boolean }[];
    lines: readonly PrintedLine[];
  },
): Promise<Buffer> {
  const pdfmake = (await import("pdfmake")).default;
  const { default: fonts } = await import("pdfmake/fonts/Roboto.js");
  pdfmake.addFonts(fonts);
  pdfmake.setUrlAccessPolicy(() => false);
  const { messages, format, settings } = scope;
  const side = heading.map(({ numeric }) => (numeric ? "right" : "left"));
  const head = heading.map(({ text }, at): TableCell => {
    return { text, bold: true, alignment: side[at] ?? "left", fillColor: "#eeeae0" };
  });
  const body = lines.map(({ cells, isBold, fill }) =>
    cells.map((text, at): TableCell => {
      const alignment = side[at] ?? "left";
      return { text, alignment, ...(isBold && { bold: true }), ...(fill && { fillColor: fill }) };
    }),
  );
  const table: Content = {
    table: {
      headerRows: 1,
      widths: heading.map(() => "auto"),
      body: [head, ...body],
      dontBreakRows: true,
    },
    layout: "lightHorizontalLines",
  };
  return pdfmake
    .createPdf({
      pageSize: "A4",
      pageOrientation: heading.length > 7 ? "landscape" : "portrait",
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
