import {
  type Cell,
  cellText,
  columnLetters,
  columnNumber,
  folded,
  isEmpty,
  type Row,
} from "../cells.ts";
import { findLayout } from "../layout.ts";
import { kindOf } from "./turned.ts";

/** Cells in a rectangle; rows from 1, columns from 0, all bounds included. Without a last row, it goes down to the end. */
export interface Area {
  top: number;
  left: number;
  bottom?: number;
  right: number;
}

/** One of several tables on a sheet. */
export interface FoundArea {
  area: Area;
  /** What stands over it. */
  caption?: string;
}

export function areaText({ top, left, bottom, right }: Area): string {
  return `${columnLetters(left)}${top}:${columnLetters(right)}${bottom ?? ""}`;
}

/** Whether a cell is in an area. */
export function isInside(
  { top, left, bottom = Infinity, right }: Area,
  row: number,
  column: number,
): boolean {
  return row >= top && row <= bottom && column >= left && column <= right;
}

/** Reads `A4:F20`, or `A4:F` for all rows from the fourth; undefined for what is no such area. */
export function areaOf(text: string): Area | undefined {
  const [, left = "", top, right = "", bottom] =
    /^([A-Z]{1,3})([1-9]\d{0,6}):([A-Z]{1,3})([1-9]\d{0,6})?$/i.exec(text.trim()) ?? [];
  const [from, to] = [columnNumber(left), columnNumber(right)];
  if (from === undefined || to === undefined) return undefined;
  const area = {
    top: Number(top),
    left: from,
    right: to,
    ...(bottom !== undefined && { bottom: Number(bottom) }),
  };
  return area.top <= (area.bottom ?? Infinity) && from <= to ? area : undefined;
}

/** The most rows and columns of a sheet that are looked through for several tables. */
export const mostRows = 2000;
const mostColumns = 200;
/** Cells that are scattered in more pieces than this are no tables. */
const mostBlocks = 500;

type Cut = Required<Area>;

interface Block extends Cut {
  /** The titles of its table, folded; undefined where it has none. */
  titles?: string[];
  /** The row with the titles. */
  header?: number;
  caption?: string;
}

/** The tables of a sheet, where it has several: one below another, or side by side. None where it has one. */
export function findAreas(rows: readonly Row[]): FoundArea[] {
  const width = Math.max(0, ...rows.map(({ length }) => length));
  if (rows.length > mostRows || width > mostColumns) return [];
  const blocks = cut(rows, { top: 1, left: 0, bottom: rows.length, right: width - 1 });
  if (blocks.length > mostBlocks) return [];
  const tables = joined(
    blocks.map((block) => asTable(rows, block)),
    rows,
  );
  if (tables.length < 2) return [];
  // A text over the first table only is over all of them.
  const under = tables.map((table) => withCaption(table, blocks, rows));
  const captioned = under.every(({ caption }) => caption !== undefined) ? under : tables;
  return captioned.map((table) => ({
    area: whole(table, captioned, width),
    ...(table.caption !== undefined && { caption: table.caption }),
  }));
}

function cellAt(rows: readonly Row[], row: number, column: number): Cell {
  return rows[row - 1]?.[column] ?? null;
}

function isBlankRow(rows: readonly Row[], row: number, { left, right }: Cut): boolean {
  for (let column = left; column <= right; column++) {
    if (!isEmpty(cellAt(rows, row, column))) return false;
  }
  return true;
}

function isBlankColumn(rows: readonly Row[], column: number, { top, bottom }: Cut): boolean {
  for (let row = top; row <= bottom; row++) {
    if (!isEmpty(cellAt(rows, row, column))) return false;
  }
  return true;
}

/** Cuts an area at blank rows, the parts at blank columns, and so on, until nothing blank goes through. */
function cut(rows: readonly Row[], area: Cut): Cut[] {
  const bands = runs(area.top, area.bottom, (row) => isBlankRow(rows, row, area));
  const across = bands.map(([top, bottom]) => ({ ...area, top, bottom }));
  const parts = across.flatMap((band) =>
    runs(band.left, band.right, (column) => isBlankColumn(rows, column, band)).map(
      ([left, right]) => ({ ...band, left, right }),
    ),
  );
  if (parts.length <= 1) return parts;
  return parts.flatMap((part) => cut(rows, part));
}

/** The stretches between numbers that are blank. */
function runs(from: number, to: number, isBlank: (at: number) => boolean): [number, number][] {
  const found: [number, number][] = [];
  let start: number | undefined;
  for (let at = from; at <= to + 1; at++) {
    const blank = at > to || isBlank(at);
    if (!blank) start ??= at;
    else if (start !== undefined) {
      found.push([start, at - 1]);
      start = undefined;
    }
  }
  return found;
}

function cells(rows: readonly Row[], { top, left, bottom, right }: Cut): Row[] {
  return rows.slice(top - 1, bottom).map((row) => row.slice(left, right + 1));
}

/** A block with its titles, where it is a table that could stand alone: titles near its top, and values below that are none. */
function asTable(rows: readonly Row[], block: Cut): Block {
  if (block.right === block.left || block.bottom === block.top) return block;
  const own = cells(rows, block);
  const layout = findLayout(own.slice(0, 60));
  if (!layout?.header || layout.header.first > 3 || layout.columns.length < 2) return block;
  const data = own.slice(layout.firstRow - 1);
  if (data.length === 0) return block;
  const isTyped = layout.columns.some(({ column }) => {
    const filled = data.map((row) => row[column] ?? null).filter((cell) => !isEmpty(cell));
    const typed = filled.filter((cell) => kindOf(cell) !== "text");
    return filled.length > 0 && typed.length >= 0.8 * filled.length;
  });
  const over = own
    .slice(0, layout.header.first - 1)
    .flat()
    .filter((cell) => !isEmpty(cell));
  const caption = over.length === 1 ? captionOf(over[0] ?? null) : undefined;
  if (!isTyped && !(caption !== undefined && data.length > 1)) return block;
  return {
    ...block,
    titles: layout.columns.map(({ header }) => folded(header)),
    header: block.top + layout.header.first - 1,
    ...(caption !== undefined && { caption }),
  };
}

function captionOf(cell: Cell): string | undefined {
  const text = cellText(cell).trim().replace(/:$/, "");
  return typeof cell === "string" && text.length <= 40 && text.split(/\s+/).length <= 4
    ? text
    : undefined;
}

/** The tables among blocks; what is one table with a blank row or column in it is one again. */
function joined(blocks: readonly Block[], rows: readonly Row[]): Block[] {
  const tables: Block[] = [];
  for (const block of blocks) {
    const above = tables.findLast(
      (table) => table.bottom < block.top && table.left <= block.right && block.left <= table.right,
    );
    const beside = tables.findLast(
      (table) => table.right < block.left && table.top <= block.bottom && block.top <= table.bottom,
    );
    if (!block.titles) continue;
    // The header again, or rows that go on.
    if (above?.titles && isSame(above.titles, block.titles)) continue;
    if (beside?.titles && !standAlone(beside, block, rows)) {
      beside.titles.push(...block.titles);
      beside.right = block.right;
      beside.top = Math.min(beside.top, block.top);
      beside.bottom = Math.max(beside.bottom, block.bottom);
      continue;
    }
    tables.push({ ...block, titles: [...block.titles] });
  }
  return tables;
}

function isSame(one: readonly string[], other: readonly string[]): boolean {
  return one.length === other.length && one.every((title, at) => title === other[at]);
}

/** Whether tables side by side are two: titles that both have, other heights, or a caption over each. */
function standAlone(one: Block, other: Block, rows: readonly Row[]): boolean {
  const shared = one.titles?.some((title) => other.titles?.includes(title));
  const captions = [one, other].every((block) => block.caption !== undefined);
  return (
    shared || captions || one.header !== other.header || lastRow(one, rows) !== lastRow(other, rows)
  );
}

function lastRow({ top, left, bottom, right }: Cut, rows: readonly Row[]): number {
  let row = bottom;
  while (row > top && isBlankRow(rows, row, { top, left, bottom, right })) row--;
  return row;
}

/** A table with the text right over it, in its first row or in a block of its own. */
function withCaption(table: Block, blocks: readonly Cut[], rows: readonly Row[]): Block {
  if (table.caption !== undefined) return table;
  const over = blocks.find(
    ({ top, bottom, left, right }) =>
      top === bottom &&
      left === right &&
      bottom < table.top &&
      table.top - bottom <= 2 &&
      left >= table.left &&
      left <= table.right,
  );
  const caption = over && captionOf(cellAt(rows, over.top, over.left));
  return caption === undefined || !over ? table : { ...table, caption, top: over.top };
}

/** The area of a table, down to the next one below it and to the right as far as the next one beside it. */
function whole(table: Block, all: readonly Block[], width: number): Area {
  const below = all.filter(
    (other) => other.top > table.bottom && other.left <= table.right && table.left <= other.right,
  );
  const bottom = Math.min(Infinity, ...below.map(({ top }) => top - 1));
  const beside = all.filter(
    (other) => other.left > table.right && other.top <= bottom && table.top <= other.bottom,
  );
  const right = Math.min(width - 1, ...beside.map(({ left }) => left - 1));
  return {
    top: table.top,
    left: table.left,
    right,
    ...(below.length > 0 && { bottom }),
  };
}
