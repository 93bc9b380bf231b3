/**
 * A number from 0 to 2^32 - 1 that depends on nothing but some words and numbers.
 * Source: FNV-1a (Fowler, Noll, Vo) in 32 bits.
 */
export function keyOf(...parts: readonly (string | number)[]): number {
  let state = 0x811c9dc5;
  for (const character of parts.join("\u0001")) {
    state = Math.imul(state ^ (character.codePointAt(0) ?? 0), 0x01000193);
  }
  return mixed(state);
}

/** Spreads the bits of a number. Source: the finalizer of MurmurHash3 (Appleby). */
function mixed(number: number): number {
  let state = number;
  state = Math.imul(state ^ (state >>> 16), 0x85ebca6b);
  state = Math.imul(state ^ (state >>> 13), 0xc2b2ae35);
  return (state ^ (state >>> 16)) >>> 0;
}

/**
 * Numbers that look random and depend on nothing but a key, a row and a turn: the values of a column can be
 * drawn in any order, and come out the same.
 * Source: the steps within a row are those of Mulberry32 (Ettinger).
 */
export class Draw {
  readonly #key: number;
  #state = 0;

  constructor(...key: readonly (string | number)[]) {
    this.#key = keyOf(...key);
  }

  /** Goes to the beginning of a row; another `turn` gives others for the same row. */
  at(row: number, turn = 0): this {
    this.#state = mixed(mixed(row ^ this.#key) + Math.imul(turn, 0x9e3779b1)) ^ this.#key;
    return this;
  }

  /** From 0 up to, not including, 1. */
  next(): number {
    this.#state = (this.#state + 0x6d2b79f5) | 0;
    let bits = Math.imul(this.#state ^ (this.#state >>> 15), 1 | this.#state);
    bits = (bits + Math.imul(bits ^ (bits >>> 7), 61 | bits)) ^ bits;
    return ((bits ^ (bits >>> 14)) >>> 0) / 4294967296;
  }

  /** From 0 up to, not including, 1; most often about the middle. */
  middling(): number {
    return (this.next() + this.next() + this.next()) / 3;
  }

  /** A whole number from `low` to `high`, both included. */
  whole(low: number, high: number): number {
    return low + Math.floor(this.next() * (high - low + 1));
  }

  pick<Item>(items: readonly Item[]): Item {
    return items[Math.floor(this.next() * items.length)] as Item;
  }
}

/**
 * The numbers from 0 to `size` - 1 in an order that looks random, each once.
 * Source: a Feistel network (Luby and Rackoff) over the next power of four, walked along its cycles until
 * it reaches a number within the size (Black and Rogaway).
 */
export class Shuffle {
  readonly #half: number;
  readonly #keys: readonly number[];

  constructor(
    readonly size: number,
    ...key: readonly (string | number)[]
  ) {
    if (!(size >= 1 && size <= 2 ** 30)) throw new RangeError(`no order of ${size} numbers`);
    this.#half = Math.max(1, Math.ceil((32 - Math.clz32(size - 1)) / 2));
    this.#keys = [1, 2, 3, 4].map((round) => keyOf(...key, "shuffle", round));
  }

  /** The number at a place, which must be less than `size`. */
  at(place: number): number {
    const mask = (1 << this.#half) - 1;
    let number = place;
    do {
      let left = number >>> this.#half;
      let right = number & mask;
      for (const key of this.#keys) {
        const next = left ^ (mixed(right ^ key) & mask);
        left = right;
        right = next;
      }
      number = ((left << this.#half) | right) >>> 0;
    } while (number >= this.size);
    return number;
  }
}

/** The largest size that a shuffled order can have. */
export const longestShuffle = 2 ** 30;
