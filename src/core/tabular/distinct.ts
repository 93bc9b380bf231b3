import { folded } from "./cells.ts";

/** Where evidence that grows with the rows is kept: not in memory. One file each. */
export interface Spill {
  append(bytes: Uint8Array): void;
  /** All that was appended, in pieces of a size; the last one may be shorter. */
  read(size: number): Iterable<Uint8Array>;
}

/** A value that a column has, whatever its spellings. */
export interface DistinctValue {
  /** Its number among the column's values, in the order of their coming. */
  index: number;
  count: number;
  spellings: Spelling[];
  /** The first rows that have it. */
  rows: number[];
}

/** A way in which a value is written, and how often. */
export interface Spelling {
  text: string;
  count: number;
  value: DistinctValue;
}

/** A value that is in several rows, as far as is known. */
export interface Repeat {
  text: string | undefined;
  rows: number[];
}

const mostInMemory = 20_000;
const mostRows = 4;
const mostSpellings = 20;
const bytesEach = 12;

/**
 * Which values a column has. Few are kept with their spellings and rows; past a limit only checksums
 * are, in a file, which still tell how many differ, which rows repeat, and how many another column has too.
 */
export class Distinct {
  readonly values = new Map<string, DistinctValue>();
  #spill: Spill | undefined;
  #buffer = new DataView(new ArrayBuffer(bytesEach * 8192));
  #used = 0;
  #summary: { hashes: Float64Array; repeats: Repeat[]; repeated: number } | undefined;

  constructor(readonly openSpill: () => Spill) {}

  /** Whether there are too many to have kept them. */
  get overflowed(): boolean {
    return this.#spill !== undefined;
  }

  /** Takes up a way of writing a value, to be counted then; undefined when there are too many to keep. */
  meet(text: string): Spelling | undefined {
    if (this.#spill) return undefined;
    const key = folded(text);
    let value = this.values.get(key);
    if (!value) {
      value = { index: this.values.size, count: 0, spellings: [], rows: [] };
      this.values.set(key, value);
    }
    const last = value.spellings.length >= mostSpellings ? value.spellings.at(-1) : undefined;
    const spelling = last ?? { text, count: 0, value };
    if (!last) value.spellings.push(spelling);
    if (this.values.size <= mostInMemory) return spelling;
    this.#overflow();
    return undefined;
  }

  /** Counts a cell that is written in a way that was taken up. Returns the number of its value. */
  count(spelling: Spelling, row: number): number {
    const { value } = spelling;
    if (value.rows.length < mostRows) value.rows.push(row);
    return this.countMore(spelling, 1);
  }

  /** Counts further cells, in rows that aren't kept. */
  countMore(spelling: Spelling, cells: number): number {
    spelling.count += cells;
    spelling.value.count += cells;
    return spelling.value.index;
  }

  /** Counts a cell where there are too many to keep. */
  countSpilled(hash: number, row: number): void {
    this.#write(hash, row);
  }

  #overflow(): void {
    this.#spill = this.openSpill();
    for (const [key, { rows, count }] of this.values) {
      const hash = hashOf(key);
      for (let at = 0; at < count; at++)
        this.#write(hash, rows[Math.min(at, rows.length - 1)] ?? 0);
    }
    this.values.clear();
  }

  #write(hash: number, row: number): void {
    this.#buffer.setFloat64(this.#used, hash, true);
    this.#buffer.setUint32(this.#used + 8, row, true);
    this.#used += bytesEach;
    if (this.#used < this.#buffer.byteLength) return;
    this.#flush();
  }

  #flush(): void {
    this.#spill?.append(new Uint8Array(this.#buffer.buffer.slice(0, this.#used)));
    this.#used = 0;
  }

  /** How many different values there are. */
  get size(): number {
    return this.overflowed ? this.summary().hashes.length : this.values.size;
  }

  /** How many cells repeat a value that is further up. */
  get repeated(): number {
    if (this.overflowed) return this.summary().repeated;
    let sum = 0;
    for (const { count } of this.values.values()) sum += count - 1;
    return sum;
  }

  /** The first values that are in several rows. */
  repeats(): Repeat[] {
    if (this.overflowed) return this.summary().repeats;
    const several = [...this.values].filter(([, { count }]) => count > 1);
    return several
      .slice(0, 10)
      .map(([, { spellings, rows }]) => ({ text: spellings[0]?.text, rows }));
  }

  /** How many of its values the other has too. */
  sharedWith(other: Distinct): number {
    if (this.overflowed || other.overflowed)
      return sharedHashes(this.summary().hashes, other.summary().hashes);
    let shared = 0;
    for (const key of this.values.keys()) if (other.values.has(key)) shared++;
    return shared;
  }

  /** The values' checksums in order; for those in a file, what repeats among them too. */
  summary() {
    this.#summary ??= this.#spill
      ? this.#summarize()
      : { hashes: this.#hashes(), repeats: [], repeated: 0 };
    return this.#summary;
  }

  #hashes(): Float64Array {
    return Float64Array.from([...this.values.keys()].map(hashOf)).sort();
  }

  #summarize() {
    this.#flush();
    let count = 0;
    for (const { byteLength } of this.#pieces()) count += byteLength / bytesEach;
    const hashes = new Float64Array(count);
    let next = 0;
    for (const piece of this.#pieces()) {
      for (let at = 0; at < piece.byteLength; at += bytesEach) {
        hashes[next++] = piece.getFloat64(at, true);
      }
    }
    hashes.sort();
    const twice = new Map<number, number[]>();
    let kept = 0;
    let repeated = 0;
    for (let at = 0; at < count; at++) {
      const hash = hashes[at] as number;
      if (kept > 0 && hashes[kept - 1] === hash) {
        repeated++;
        if (twice.size < 10) twice.set(hash, []);
      } else hashes[kept++] = hash;
    }
    for (const piece of twice.size > 0 ? this.#pieces() : []) {
      for (let at = 0; at < piece.byteLength; at += bytesEach) {
        const rows = twice.get(piece.getFloat64(at, true));
        if (rows && rows.length < mostRows) rows.push(piece.getUint32(at + 8, true));
      }
    }
    const repeats = [...twice.values()].map((rows) => ({ text: undefined, rows }));
    return { hashes: hashes.subarray(0, kept), repeats, repeated };
  }

  *#pieces(): Generator<DataView> {
    for (const bytes of this.#spill?.read(bytesEach * 8192) ?? []) {
      yield new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    }
  }
}

function sharedHashes(some: Float64Array, others: Float64Array): number {
  let shared = 0;
  for (let a = 0, b = 0; a < some.length && b < others.length; ) {
    const difference = (some[a] as number) - (others[b] as number);
    if (difference === 0) shared++;
    if (difference <= 0) a++;
    if (difference >= 0) b++;
  }
  return shared;
}

/** A checksum of 53 bits: two of 32 by multiplying and folding, as FNV-1a (Fowler, Noll, Vo) does. */
export function hashOf(text: string): number {
  let a = 0x811c9dc5;
  let b = 0x9747b28c;
  for (let at = 0; at < text.length; at++) {
    const unit = text.charCodeAt(at);
    a = Math.imul(a ^ unit, 0x01000193);
    b = Math.imul(b ^ unit, 0x5bd1e995);
    b ^= b >>> 15;
  }
  return (a >>> 0) * 0x200000 + ((b ^ a) >>> 11);
}
