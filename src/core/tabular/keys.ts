import { folded } from "./cells.ts";
import { hashOf } from "./distinct.ts";

/** What is known of a key: its spelling, while that is kept, and where it is. */
export interface KnownKey {
  text: string | undefined;
  row: number;
  /** A checksum of the whole row, of 32 bits. */
  content: number;
}

/** A place to look up keys. */
export interface KeyFinder {
  readonly size: number;
  find(text: string): KnownKey | undefined;
  /** The spellings that are kept. */
  spellings(): Iterable<string>;
}

/** The keys of several places: those of an import, and those that were there before. */
export function joinedKeys(places: readonly KeyFinder[]): KeyFinder {
  return {
    get size() {
      return places.reduce((sum, { size }) => sum + size, 0);
    },
    find: (text) => {
      for (const place of places) {
        const known = place.find(text);
        if (known) return known;
      }
      return undefined;
    },
    *spellings() {
      for (const place of places) yield* place.spellings();
    },
  };
}

const mostSpelled = 200_000;
const none = -1;

/**
 * The keys of an entity, whatever their case and space. The first are kept as they are written; of
 * very many only checksums are kept, 16 bytes each.
 */
export class KeySet implements KeyFinder {
  readonly #spelled = new Map<string, KnownKey>();
  #hashes = new Float64Array(0);
  #contents = new Int32Array(0);
  #rows = new Uint32Array(0);
  #hashed = 0;

  constructor(readonly limit = mostSpelled) {}

  get size(): number {
    return this.#spelled.size + this.#hashed;
  }

  *spellings(): Iterable<string> {
    for (const { text } of this.#spelled.values()) if (text !== undefined) yield text;
  }

  find(text: string): KnownKey | undefined {
    const key = folded(text);
    const spelled = this.#spelled.get(key);
    if (spelled || this.#hashed === 0) return spelled;
    return this.#hashedAt(this.#slotOf(hashOf(key)));
  }

  /** Adds a key; gives the one that was there before, which stays. */
  add(text: string, row: number, content: number): KnownKey | undefined {
    const key = folded(text);
    const spelled = this.#spelled.get(key);
    if (spelled) return spelled;
    const isFull = this.#spelled.size >= this.limit;
    if (!isFull && this.#hashed === 0) {
      this.#spelled.set(key, { text, row, content });
      return undefined;
    }
    if ((this.#hashed + 1) * 4 > this.#hashes.length * 3) this.#grow();
    const hash = hashOf(key);
    const slot = this.#slotOf(hash);
    if (this.#hashes[slot] !== none) return this.#hashedAt(slot);
    if (!isFull) this.#spelled.set(key, { text, row, content });
    else {
      this.#hashes[slot] = hash;
      this.#rows[slot] = row;
      this.#contents[slot] = content;
      this.#hashed++;
    }
    return undefined;
  }

  /** Lets a record be found by another value too: what is found then is its key. */
  addAlias(alias: string, key: string): void {
    const name = folded(alias);
    if (!this.#spelled.has(name)) this.#spelled.set(name, { text: key, row: 0, content: 0 });
  }

  #hashedAt(slot: number): KnownKey | undefined {
    if (this.#hashes[slot] === none) return undefined;
    return {
      text: undefined,
      row: this.#rows[slot] as number,
      content: this.#contents[slot] as number,
    };
  }

  /** The slot of a checksum, or the free one where it would go: open addressing with steps of one. */
  #slotOf(hash: number): number {
    const mask = this.#hashes.length - 1;
    let slot = (hash % 0x7fffffff) & mask;
    while (this.#hashes[slot] !== none && this.#hashes[slot] !== hash) slot = (slot + 1) & mask;
    return slot;
  }

  #grow(): void {
    const { hashes, rows, contents } = {
      hashes: this.#hashes,
      rows: this.#rows,
      contents: this.#contents,
    };
    const length = Math.max(1 << 16, hashes.length * 2);
    this.#hashes = new Float64Array(length).fill(none);
    this.#rows = new Uint32Array(length);
    this.#contents = new Int32Array(length);
    hashes.forEach((hash, at) => {
      if (hash === none) return;
      const slot = this.#slotOf(hash);
      this.#hashes[slot] = hash;
      this.#rows[slot] = rows[at] as number;
      this.#contents[slot] = contents[at] as number;
    });
  }
}
