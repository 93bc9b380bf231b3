import type { Scope } from "../../access/scope.ts";
import type { ReportResult } from "../../store/report/run.ts";
import { toldText } from "../report/figure-value.ts";
import { harmless } from "./cells.ts";
import { tablePages } from "./pdf.ts";
import { type ReportCell, reportSheet } from "./report-lines.ts";
import { sheetName } from "./xlsx.ts";

/** As what a report can be had. */
export const reportFormats = ["csv", "xlsx", "pdf"] as const;
export type ReportFormat = (typeof reportFormats)[number];

/** A report as a file. */
export const reportFiles: Readonly<
  Record<ReportFormat, (scope: Scope, title: string, result: ReportResult) => Promise<Buffer>>
> = { csv, xlsx, pdf };

/** The finest groups, each with all that it is in; sums are for whoever reads the file to make. */
async function csv(scope: Scope, _title: string, result: ReportResult): Promise<Buffer> {
  const { heading, lines } = reportSheet(scope, result);
  const width = Math.max(1, result.dimensions.length);
  const last: (string | null)[] = [];
  const rows = lines.flatMap(({ cells, depth, isSum }) => {
    last.length = depth;
    last[depth] = cells[depth] as string;
    if (isSum) return [];
    const labels = Array.from({ length: width }, (_, at) => harmless(last[at] ?? ""));
    return [[...labels, ...cells.slice(width).map(rawOf)]];
  });
  const { default: Papa } = await import("papaparse");
  const text = Papa.unparse([heading.map(harmless), ...rows], { newline: "\r\n" });
  return Buffer.from(`\ufeff${text}\r\n`);
}

function rawOf(cell: ReportCell): string | number | null {
  if (cell === null || typeof cell === "string") return cell;
  return cell.value ?? null;
}

/** All lines with the formats of their figures, those of inner groups folded under their sums. */
async function xlsx(scope: Scope, title: string, result: ReportResult): Promise<Buffer> {
  const { default: Excel } = await import("exceljs");
  const workbook = new Excel.Workbook();
  const sheet = workbook.addWorksheet(sheetName(title), {
    views: [{ state: "frozen", ySplit: 1 }],
    properties: { outlineLevelRow: 1 },
  });
  sheet.properties.outlineProperties = { summaryBelow: false, summaryRight: false };
  const { heading, lines } = reportSheet(scope, result);
  const width = Math.max(1, result.dimensions.length);
  sheet.columns = heading.map((header, at) => ({
    header,
    width: Math.min(40, Math.max(at < width ? 20 : 14, header.length + 2)),
  }));
  sheet.getRow(1).font = { bold: true };
  for (const { cells, depth, isSum, isMarked } of lines) {
    const line = sheet.addRow(
      cells.map((cell) => {
        const value = rawOf(cell);
        return typeof cell === "object" && typeof value === "string"
          ? new Date(`${value}T00:00:00Z`)
          : value;
      }),
    );
    if (isSum) line.font = { bold: true };
    if (depth > 0) line.outlineLevel = depth;
    cells.forEach((cell, at) => {
      const format = cell !== null && typeof cell === "object" ? formatOf(cell) : undefined;
      if (format) line.getCell(at + 1).numFmt = format;
      if (isMarked) line.getCell(at + 1).fill = marked;
    });
  }
  return Buffer.from(await workbook.xlsx.writeBuffer());
}

const marked = { type: "pattern", pattern: "solid", fgColor: { argb: "FFF8D9E8" } } as const;

function formatOf({
  figure,
  value,
  isRatio,
}: Exclude<ReportCell, string | null>): string | undefined {
  if (isRatio) return figure.figure.as === "change" ? "+0%;-0%;0%" : "0.0%";
  if (typeof value === "string") return "yyyy-mm-dd";
  const isMoney = figure.figure.format === "money";
  if (isMoney || figure.formula?.calculation.measure === "money") return "#,##0.00";
  return figure.places > 0 ? `#,##0.${"0".repeat(figure.places)}` : "#,##0";
}

/** The lines as a table on pages. */
function pdf(scope: Scope, title: string, result: ReportResult): Promise<Buffer> {
  const { heading, lines } = reportSheet(scope, result);
  const width = Math.max(1, result.dimensions.length);
  return tablePages(scope, title, {
    heading: heading.map((text, at) => ({ text, numeric: at >= width })),
    lines: lines.map(({ cells, isSum, isMarked }) => ({
      cells: cells.map((cell) =>
        cell === null || typeof cell === "string" ? (cell ?? "") : toldText(scope, cell),
      ),
      isBold: isSum,
      ...(isMarked && { fill: "#f8d9e8" }),
    })),
  });
}
