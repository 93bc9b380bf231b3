import { folded } from "./cells.ts";

/** Where evidence that grows with the rows is kept: not in memory. One file each. */
export interface Spill {
  append(bytes: Uint8Array): void;
  /** All that was appended. */
  read(): Uint8Array;
}

/** A value that a column has, whatever its spellings. */
export interface DistinctValue {
  /** Its number among the column's values, in the order of their coming. */
  index: number;
  count: number;
  /** How it was written, and how often so. */
  spellings: Map<string, number>;
  /** The first rows that have it. */
  rows: number[];
}

/** A value that stands in several rows, as far as is known. */
export interface Repeat {
  text: string | undefined;
  rows: number[];
}

const mostInMemory = 20_000;
const mostRows = 4;
const bytesEach = 12;

/**
 * Which values a column has. Few are kept with their spellings and rows; past a limit only checksums
 * are, in a file, which still tell how many differ, which rows repeat, and how many another column has too.
 */
export class Distinct {
  readonly values = new Map<string, DistinctValue>();
  readonly #bySpelling = new Map<string, DistinctValue>();
  #spill: Spill | undefined;
  #buffer = new DataView(new ArrayBuffer(bytesEach * 8192));
  #used = 0;
  #summary: { hashes: Float64Array; repeats: Repeat[]; repeated: number } | undefined;

  constructor(readonly openSpill: () => Spill) {}

  /** Whether there are too many to have kept them. */
  get overflowed(): boolean {
    return this.#spill !== undefined;
  }

  /** Takes a value up. Gives what is known of it, or undefined when values are no longer kept. */
  add(text: string, row: number): DistinctValue | undefined {
    if (this.#spill) {
      this.#write(hashOf(folded(text)), row);
      return undefined;
    }
    const known = this.#bySpelling.get(text) ?? this.#meet(text);
    known.count++;
    if (known.rows.length < mostRows) known.rows.push(row);
    const spelled = known.spellings.get(text);
    if (spelled !== undefined || known.spellings.size < 20)
      known.spellings.set(text, (spelled ?? 0) + 1);
    if (this.values.size > mostInMemory) this.#overflow();
    return known;
  }

  #meet(text: string): DistinctValue {
    const key = folded(text);
    const known = this.values.get(key) ?? {
      index: this.values.size,
      count: 0,
      spellings: new Map(),
      rows: [],
    };
    this.values.set(key, known);
    if (this.#bySpelling.size < 2 * mostInMemory) this.#bySpelling.set(text, known);
    return known;
  }

  #overflow(): void {
    this.#spill = this.openSpill();
    for (const [key, { rows }] of this.values) {
      const hash = hashOf(key);
      for (const row of rows) this.#write(hash, row);
    }
    this.values.clear();
    this.#bySpelling.clear();
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

  /** How many cells repeat a value that stands further up. */
  get repeated(): number {
    if (this.overflowed) return this.summary().repeated;
    let sum = 0;
    for (const { count } of this.values.values()) sum += count - 1;
    return sum;
  }

  /** The first values that stand in several rows. */
  repeats(): Repeat[] {
    if (this.overflowed) return this.summary().repeats;
    const several = [...this.values].filter(([, { count }]) => count > 1);
    return several
      .slice(0, 10)
      .map(([, { spellings, rows }]) => ({ text: [...spellings.keys()][0], rows }));
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
    const bytes = this.#spill?.read() ?? new Uint8Array();
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const count = bytes.byteLength / bytesEach;
    const all = new Float64Array(count);
    for (let at = 0; at < count; at++) all[at] = view.getFloat64(at * bytesEach, true);
    const hashes = all.slice().sort();
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
    for (let at = 0; twice.size > 0 && at < count; at++) {
      const rows = twice.get(all[at] as number);
      if (rows && rows.length < mostRows) rows.push(view.getUint32(at * bytesEach + 8, true));
    }
    const repeats = [...twice.values()].map((rows) => ({ text: undefined, rows }));
    return { hashes: hashes.slice(0, kept), repeats, repeated };
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
