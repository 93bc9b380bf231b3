/** Numbers that look random and are always the same for the same words and numbers. */
export interface Random {
  /** From 0 up to, not including, 1. */
  next(): number;
  /** A whole number from `low` to `high`, both included. */
  whole(low: number, high: number): number;
  pick<Item>(items: readonly Item[]): Item;
}

/**
 * A stream of numbers that depends on nothing but its key.
 * Sources: the hash is FNV-1a (Fowler, Noll, Vo) in 32 bits; the generator is Mulberry32 (Ettinger).
 */
export function randomFor(...key: readonly (string | number)[]): Random {
  let state = 0x811c9dc5;
  for (const character of key.join("\u0001")) {
    state = Math.imul(state ^ (character.codePointAt(0) ?? 0), 0x01000193);
  }
  const next = () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296;
  };
  const whole = (low: number, high: number) => low + Math.floor(next() * (high - low + 1));
  return { next, whole, pick: (items) => items[whole(0, items.length - 1)] as never };
}
