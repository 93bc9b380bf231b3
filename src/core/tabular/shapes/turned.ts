import { type Cell, cellText, isEmpty, type Row } from "../cells.ts";
import { findLayout, headRows } from "../layout.ts";
import { typeBit, typeOfCell } from "../type-detection.ts";

/** The most rows and columns of a table that may be turned. */
export const mostTurned = 2000;

const mostPairs = 60;
const valueWords = /^(values?|wert|valor|valeur|valore|content|inhalt)$/i;

/**
 * Whether the records of a table stand in its columns: each row has values of one kind, and the columns don't; or each
 * row is a title and its value, and no two need be of one kind. Rows and columns around the table are left out already.
 */
export function isTurned(rows: readonly Row[]): boolean {
  const filled = rows.filter((row) => row.some((cell) => !isEmpty(cell)));
  const width = Math.max(0, ...filled.map(({ length }) => length));
  if (filled.length < 3 || width < 2 || width > mostTurned) return false;
  const titles = filled.map(([title]) => title ?? null);
  if (!areTitles(titles) || isUpright(filled)) return false;
  const columns = Array.from({ length: width - 1 }, (_, at) =>
    filled.map((row) => row[at + 1] ?? null).filter((cell) => !isEmpty(cell)),
  ).filter((cells) => cells.length > 0);
  if (columns.length === 1) return isPaired(titles, columns[0] ?? []);
  // What is first may be the titles of columns that are alike below, such as days.
  const below = Array.from({ length: width - 1 }, (_, at) =>
    filled.slice(1).map((row) => row[at + 1] ?? null),
  )
    .map((cells) => cells.filter((cell) => !isEmpty(cell)))
    .filter((cells) => cells.length > 0);
  const kindsOfRows = filled
    .map((row) => row.slice(1).filter((cell) => !isEmpty(cell)))
    .filter(({ length }) => length > 0)
    .map((cells) => mainKind(cells));
  const sure = kindsOfRows.filter(({ share }) => share >= 0.65);
  return (
    columns.length >= 2 &&
    sure.length >= 0.85 * kindsOfRows.length &&
    new Set(sure.map(({ kind }) => kind)).size >= 2 &&
    below.every((cells) => mainKind(cells).share < 0.8)
  );
}

/** Whether the values below a header are of one kind in each column. */
function isUpright(rows: readonly Row[]): boolean {
  const layout = findLayout(rows.slice(0, headRows));
  const data = layout?.header ? rows.slice(layout.firstRow - 1) : [];
  const kinds = (layout?.columns ?? []).flatMap(({ column }) => {
    const cells = data.map((row) => row[column] ?? null).filter((cell) => !isEmpty(cell));
    return cells.length > 0 ? [mainKind(cells)] : [];
  });
  const isTyped = kinds.some(({ kind }) => kind !== "text");
  return isTyped && kinds.every(({ share }) => share >= 0.8);
}

/** Titles and one value of each: the titles end as titles do, or the values are of many kinds. */
function isPaired(titles: readonly Cell[], values: readonly Cell[]): boolean {
  if (titles.length > mostPairs || values.length < 0.5 * titles.length) return false;
  // With titles of its own, it is a table of settings.
  if (valueWords.test(cellText(values[0] ?? null).trim())) return false;
  const ended = titles.filter((title) => cellText(title).trim().endsWith(":"));
  if (ended.length >= 0.8 * titles.length) return true;
  return new Set(values.map(kindOf)).size >= 3;
}

/** Whether texts can be titles: short, and no two alike. */
function areTitles(cells: readonly Cell[]): boolean {
  // The corner may be blank.
  const texts = cells.filter((cell, at) => !isEmpty(cell) || at > 0);
  const fitting = texts.filter(
    (cell) => typeof cell === "string" && cell.trim().length <= 60 && kindOf(cell) === "text",
  );
  const different = new Set(fitting.map((cell) => cellText(cell).trim().toLowerCase()));
  return fitting.length === texts.length && different.size === fitting.length;
}

function mainKind(cells: readonly Cell[]): { kind: string; share: number } {
  const counts = new Map<string, number>();
  for (const cell of cells) counts.set(kindOf(cell), (counts.get(kindOf(cell)) ?? 0) + 1);
  const [kind = "text", count = 0] = [...counts].sort(([, a], [, b]) => b - a)[0] ?? [];
  return { kind, share: cells.length === 0 ? 0 : count / cells.length };
}

/** What a cell is at a glance. */
export function kindOf(cell: Cell): string {
  if (cell === null) return "blank";
  const { bits } = typeOfCell(cell);
  if (bits & (typeBit.dayFirst | typeBit.monthFirst)) return "date";
  if (bits & (typeBit.point | typeBit.comma)) return "number";
  if (bits & (typeBit.time | typeBit.onlySpan)) return "time";
  if (bits & typeBit.email) return "email";
  if (bits & typeBit.url) return "url";
  if (bits & (typeBit.phone | typeBit.digits)) return "digits";
  return "text";
}

/** The table with its rows and columns exchanged. */
export function turned(rows: readonly Row[]): Row[] {
  const width = Math.max(0, ...rows.map(({ length }) => length));
  return Array.from({ length: width }, (_, column) => rows.map((row) => row[column] ?? null));
}
