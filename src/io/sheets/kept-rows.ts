import { closeSync, openSync, readSync, writeSync } from "node:fs";
import { CellPool } from "../../core/tabular/cell-numbers.ts";
import { type Cell, CellNumbers } from "../../core/tabular/cells.ts";
import { fileFailure, ownerOnly } from "../project/files.ts";
import type { TemporaryFolder } from "./temporary.ts";
import type { ParsedStep, ReadStep } from "./text.ts";

/**
 * The rows of a sheet, whose cells get numbers as they are read. Once a sheet was read to its end, its rows come from a file of
 * these numbers, so that nothing is parsed twice.
 */
export class KeptRows {
  readonly #pool = new CellPool();
  #kept: string | undefined;
  /** The rows with quotes within cells. */
  #stray: readonly number[] = [];

  constructor(
    readonly folder: TemporaryFolder,
    readonly source: (onStrayQuotes: (row: number) => void) => Iterable<ParsedStep>,
  ) {}

  *read(onStrayQuotes: (row: number) => void = () => undefined): Generator<ReadStep> {
    if (this.#kept !== undefined) {
      for (const row of this.#stray) onStrayQuotes(row);
      yield* this.#readKept(this.#kept);
      return;
    }
    const stray: number[] = [];
    const onStray = (row: number) => {
      stray.push(row);
      onStrayQuotes(row);
    };
    const path = this.folder.newPath();
    let handle: number | undefined;
    /** The first step waits for the second: most readings are of the first rows only. */
    let waiting: Uint8Array[] = [];
    let room: Int32Array = new Int32Array(0);
    try {
      for (const { first, rows, share } of this.source(onStray)) {
        if (waiting.length > 0) {
          handle ??= opened(path);
          for (const bytes of waiting) written(handle, bytes, path);
        }
        const numbers = this.#pool.numbersOf(rows, room);
        if (numbers && numbers.all.length > room.length) room = numbers.all;
        waiting = packed({ first, rows, share }, numbers);
        yield { first, rows, share, ...(numbers && { numbers }) };
      }
      handle ??= opened(path);
      for (const bytes of waiting) written(handle, bytes, path);
      this.#kept = path;
      this.#stray = stray;
    } finally {
      if (handle !== undefined) closeSync(handle);
    }
  }

  *#readKept(path: string): Generator<ReadStep> {
    const handle = openSync(path, "r");
    const [head, rest] = [new Room(), new Room()];
    let all = new Int32Array(0);
    try {
      while (head.fill(handle, headBytes)) {
        const [width = 0, numbered = 0, bytes = 0] = new Int32Array(head.bytes.buffer, 0, 3);
        if (all.length < numbered) all = new Int32Array(numbered);
        const numbersRead = readInto(handle, new Uint8Array(all.buffer, 0, 4 * numbered));
        if (!numbersRead || !rest.fill(handle, bytes)) throw new Error(`${path} ends too early`);
        const step = JSON.parse(new TextDecoder().decode(rest.bytes)) as PackedStep;
        const { first, share } = step;
        if (!("lengths" in step)) {
          yield { first, share, rows: step.rows };
          continue;
        }
        const numbers = new CellNumbers(width, all.subarray(0, numbered));
        yield { first, share, rows: this.#unpacked(numbers, step), numbers };
      }
    } finally {
      closeSync(handle);
    }
  }

  #unpacked({ width, all }: CellNumbers, { lengths, cells }: PackedCells): Cell[][] {
    const rows: Cell[][] = new Array(all.length / width);
    let next = 0;
    for (let at = 0; at < rows.length; at++) {
      const length = lengths[at] ?? width;
      const row: Cell[] = new Array(length);
      for (let column = 0; column < length; column++) {
        const number = all[at * width + column] as number;
        row[column] = number >= 0 ? this.#pool.cellOf(column, number) : (cells[next++] as Cell);
      }
      rows[at] = row;
    }
    return rows;
  }
}

/** What is kept of a step beside the numbers of its cells. */
type PackedStep = PackedCells | ParsedStep;

interface PackedCells {
  first: number;
  share: number;
  /** The lengths of rows that are shorter than the widest, by their places. */
  lengths: Record<number, number>;
  /** The cells without numbers. */
  cells: Cell[];
}

/** Three numbers: the width of the rows, how many cells have a place among the numbers, and the bytes of the rest. */
const headBytes = 12;

function packed(step: ParsedStep, numbers: CellNumbers | undefined): Uint8Array[] {
  const rest = new TextEncoder().encode(
    JSON.stringify(numbers ? withoutNumbers(step, numbers) : step),
  );
  const all = numbers?.all ?? new Int32Array(0);
  const head = Int32Array.of(numbers?.width ?? 0, all.length, rest.length);
  return [
    ...[head, all].map((each) => new Uint8Array(each.buffer, each.byteOffset, each.byteLength)),
    rest,
  ];
}

function withoutNumbers({ first, rows, share }: ParsedStep, numbers: CellNumbers): PackedCells {
  const lengths: Record<number, number> = {};
  const cells: Cell[] = [];
  for (let at = 0; at < rows.length; at++) {
    const row = rows[at] as Cell[];
    if (row.length !== numbers.width) lengths[at] = row.length;
    for (let column = 0; column < row.length; column++) {
      if (numbers.of(at, column) < 0) cells.push(row[column] as Cell);
    }
  }
  return { first, share, lengths, cells };
}

function opened(path: string): number {
  try {
    return openSync(path, "wx", ownerOnly.file);
  } catch (error) {
    throw fileFailure("write", path, error);
  }
}

function written(handle: number, bytes: Uint8Array, path: string): void {
  try {
    for (let at = 0; at < bytes.length; ) at += writeSync(handle, bytes, at);
  } catch (error) {
    throw fileFailure("write", path, error);
  }
}

/** Bytes of a file, each time in the same place: garbage of this size would pile up. */
class Room {
  #all = new Uint8Array(0);
  bytes = this.#all;

  /** Reads so many bytes; false at the end of the file. */
  fill(handle: number, length: number): boolean {
    if (this.#all.length < length) this.#all = new Uint8Array(length);
    this.bytes = this.#all.subarray(0, length);
    return readInto(handle, this.bytes);
  }
}

function readInto(handle: number, bytes: Uint8Array): boolean {
  for (let at = 0; at < bytes.length; ) {
    const read = readSync(handle, bytes, at, bytes.length - at, null);
    if (read === 0) return false;
    at += read;
  }
  return true;
}
