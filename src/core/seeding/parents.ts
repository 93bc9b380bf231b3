import { always, type Lifetime } from "./days.ts";
import { Draw, Shuffle } from "./random.ts";

/** The records of an entity that others can refer to: those that are there, and those that are being made. */
export class Records {
  /** How many there are so far. */
  count: number;
  readonly #begins: Int32Array;
  readonly #ends: Int32Array;
  readonly #there: readonly number[];

  /**
   * `there` are the numbers of the existing records, in order, and `lifetimes` theirs; those to be made get
   * numbers from `first` on, `room` of them.
   */
  constructor(
    there: readonly number[],
    lifetimes: readonly Lifetime[] | undefined,
    readonly first: number,
    room: number,
  ) {
    this.#there = there;
    this.count = there.length;
    const size = lifetimes ? there.length + room : 0;
    this.#begins = new Int32Array(size).fill(unknown.begin);
    this.#ends = new Int32Array(size).fill(unknown.end);
    for (const [at, lifetime] of (lifetimes ?? []).entries()) this.#live(at, lifetime);
  }

  /** The number of a record by its place. */
  id(place: number): number {
    return place < this.#there.length
      ? (this.#there[place] as number)
      : this.first + place - this.#there.length;
  }

  /** One more was made. */
  add(lifetime: Lifetime = always): void {
    this.#live(this.count, lifetime);
    this.count++;
  }

  /** The place of a record by its number. */
  #placeOf(id: number): number {
    if (id >= this.first) return this.#there.length + id - this.first;
    let [low, high] = [0, this.#there.length - 1];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((this.#there[middle] as number) < id) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  /** Narrows a lifetime down to that of the record with a number. */
  narrow(id: number, lifetime: Lifetime): void {
    if (this.#begins.length === 0) return;
    const place = this.#placeOf(id);
    const begin = this.#begins[place] as number;
    const end = this.#ends[place] as number;
    if (begin !== unknown.begin && begin > lifetime.begin) lifetime.begin = begin;
    if (end !== unknown.end && end < lifetime.end) lifetime.end = end;
  }

  #live(place: number, { begin, end }: Lifetime): void {
    if (place >= this.#begins.length) return;
    if (Number.isFinite(begin)) this.#begins[place] = begin;
    if (Number.isFinite(end)) this.#ends[place] = end;
  }
}

const unknown = { begin: -2147483648, end: 2147483647 };

/** How references gather: the busiest tenth of the records has a good third of them, the quieter half a fifth. */
const gathering = [
  { share: 0.36, records: 0.1 },
  { share: 0.44, records: 0.4 },
  { share: 0.2, records: 0.5 },
] as const;

/** Where a reference leads among records in the order of how busy they are, for a number from 0 to 1. */
function gathered(number: number, count: number): number {
  let rest = number;
  let before = 0;
  for (const { share, records } of gathering) {
    if (rest < share) return Math.floor((before + (rest / share) * records) * count);
    rest -= share;
    before += records;
  }
  return count - 1;
}

/** Picks records that others refer to, some of them often and others never. */
export class Picker {
  readonly #draw: Draw;
  readonly #key: readonly (string | number)[];
  #shuffle: Shuffle | undefined;

  constructor(...key: readonly (string | number)[]) {
    this.#key = key;
    this.#draw = new Draw(...key);
  }

  /** The place of a record among `count`, for a row. */
  pick(count: number, row: number, turn: number): number {
    return this.shuffled(count, gathered(this.#draw.at(row, turn).next(), count));
  }

  /** The places of several, all different. */
  pickSeveral(count: number, row: number, least: number): number[] {
    const draw = this.#draw.at(row);
    // Some have none, most one or two, and few have many.
    const some = draw.next() < 0.25 ? 0 : 1 + Math.floor(draw.next() * draw.next() * 5);
    const wanted = Math.min(count, Math.max(least, some));
    const found = new Set<number>();
    for (let tries = 0; found.size < wanted && tries < 40; tries++) {
      found.add(this.shuffled(count, gathered(draw.next(), count)));
    }
    for (let rank = 0; found.size < wanted; rank++) found.add(rank);
    return [...found];
  }

  /** A permutation of places. */
  shuffled(count: number, rank: number): number {
    if (this.#shuffle?.size !== count) this.#shuffle = new Shuffle(count, ...this.#key, "order");
    return this.#shuffle.at(rank);
  }
}
