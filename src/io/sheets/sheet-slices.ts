import type { Workbook } from "./archive.ts";

/** Rows of a sheet that are read at one go. */
export interface SheetSlice {
  /** The name of the sheet's part of the workbook. */
  part: string;
  /** Its rows, counted from 1: from the first to before the end, which the last slice has not. */
  first: number;
  end?: number;
  /** The sheet with no other rows, except those of formulas that these refer to. */
  pieces: Uint8Array[];
}

/** About how many bytes of a sheet are read at one go: its cells take ten times as much memory. */
const usual = 32_000_000;

/**
 * What is read at one go, of all of a workbook: slices of large sheets, small sheets together. Each reads the
 * texts that sheets share again, so the slices are larger where these are.
 */
export function batchesOf({ kind, parts }: Workbook): SheetSlice[][] {
  if (kind !== "xlsx") return [[]];
  const size = Math.max(usual, 4 * (parts.get("xl/sharedStrings.xml")?.length ?? 0));
  const batches: SheetSlice[][] = [];
  let room = 0;
  for (const [part, xml] of parts) {
    if (!isSheet(xml)) continue;
    for (const slice of sheetSlices(part, Buffer.from(xml.buffer), size)) {
      const bytes = slice.pieces.reduce((sum, piece) => sum + piece.length, 0);
      if (bytes > room) {
        batches.push([slice]);
        room = size - bytes;
      } else {
        batches.at(-1)?.push(slice);
        room -= bytes;
      }
    }
  }
  return batches;
}

/** Whether a part of a workbook is a sheet. */
export function isSheet(part: Uint8Array): boolean {
  return /<(\w+:)?worksheet[\s>]/.test(
    Buffer.from(part.buffer, 0, Math.min(4096, part.length)).toString("latin1"),
  );
}

/**
 * Cuts a sheet (ECMA-376 part 1, 18.3.1.99) into slices of at most about so many bytes. What is around the rows is
 * in each. Nothing is cut where cells are one, and nothing at all where rows don't say in order which they are.
 */
export function sheetSlices(part: string, xml: Buffer, size: number): SheetSlice[] {
  const whole: SheetSlice[] = [{ part, first: 1, pieces: [xml] }];
  const opening = "<sheetData>";
  const from = xml.indexOf(opening) + opening.length;
  const close = xml.lastIndexOf("</sheetData>");
  if (xml.length <= size || from < opening.length || close < from) return whole;
  const tail = xml.subarray(close);
  const step = (close - from) / Math.ceil((close - from) / size);
  const cuts = rowCuts(xml.subarray(0, close), from, step, mergedRows(tail));
  if (!cuts) return whole;
  const bases = formulaBases(xml.subarray(0, close), from);
  const starts = [{ at: from, row: 1 }, ...cuts];
  return starts.map(({ at, row }, index) => {
    const next = starts[index + 1];
    return {
      part,
      first: row,
      ...(next && { end: next.row }),
      pieces: [
        xml.subarray(0, from),
        ...bases.filter((base) => base.at < at && base.last >= row).map((base) => base.xml),
        xml.subarray(at, next?.at ?? close),
        tail,
      ],
    };
  });
}

/** Where rows begin, a step after another. Undefined where a row says no number, or none above the one before. */
function rowCuts(
  xml: Buffer,
  from: number,
  step: number,
  isMerged: (row: number) => boolean,
): { at: number; row: number }[] | undefined {
  const cuts: { at: number; row: number }[] = [];
  let last = 0;
  for (let at = xml.indexOf("<row", from); at >= 0; at = xml.indexOf("<row", at + 4)) {
    const row = Number(/\sr=["'](\d+)["']/.exec(tagAt(xml, at))?.[1]);
    if (!(row > last)) return undefined;
    last = row;
    if (at >= from + step * (cuts.length + 1) && !isMerged(row)) cuts.push({ at, row });
  }
  return cuts;
}

/** Tells of rows, in their order, whether cells of the row above go on in them. */
function mergedRows(tail: Buffer): (row: number) => boolean {
  const merge = /<(?:\w+:)?mergeCell\s[^>]*?ref=["']\$?[A-Z]+\$?(\d+):\$?[A-Z]+\$?(\d+)/g;
  const spans = [...tail.toString("latin1").matchAll(merge)]
    .map(([, top, bottom]) => ({ top: Number(top), bottom: Number(bottom) }))
    .sort((one, other) => one.top - other.top);
  let next = 0;
  let until = 0;
  return (row) => {
    for (let span = spans[next]; span && span.top < row; span = spans[++next]) {
      until = Math.max(until, span.bottom);
    }
    return row <= until;
  };
}

/** Cells with a formula that holds for cells below them too, each as a row; and the last row for which it does. */
function formulaBases(xml: Buffer, from: number): { at: number; last: number; xml: Buffer }[] {
  const bases: { at: number; last: number; xml: Buffer }[] = [];
  if (!xml.includes('t="shared"') && !xml.includes('t="array"')) return bases;
  for (let at = xml.indexOf("<f ", from); at >= 0; at = xml.indexOf("<f ", at + 3)) {
    const tag = tagAt(xml, at);
    const last = Number(/\sref=["'][A-Z]+\d+:[A-Z]+(\d+)["']/.exec(tag)?.[1]);
    // One that is for a single cell has no cells below.
    if (Number.isNaN(last) || tag.endsWith("/>")) continue;
    const cell = tagAt(xml, xml.lastIndexOf("<c ", at));
    const [, name, row] = /\sr=["']([A-Z]+(\d+))["']/.exec(cell) ?? [];
    const formula = xml.toString("utf8", at, xml.indexOf("</f>", at));
    bases.push({
      at,
      last,
      xml: Buffer.from(`<row r="${row}"><c r="${name}">${formula}</f></c></row>`),
    });
  }
  return bases;
}

function tagAt(xml: Buffer, at: number): string {
  return xml.toString("latin1", at, xml.indexOf(">", at) + 1);
}
