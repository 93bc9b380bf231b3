/** What was counted of one figure in some rows. */
export interface Amount {
  sum: number;
  /** How many rows have a value. */
  filled: number;
  smallest: number | string | undefined;
  largest: number | string | undefined;
}

/** What was counted of some rows: how many there are, and of each figure. */
export interface Tally {
  rows: number;
  of: readonly Amount[];
}

/** Of no rows. */
export const nothing: Amount = { sum: 0, filled: 0, smallest: undefined, largest: undefined };

/** What was counted of two sets of rows together. */
export function added(one: Tally, other: Tally): Tally {
  return {
    rows: one.rows + other.rows,
    of: one.of.map((amount, at) => addedAmount(amount, other.of[at] ?? nothing)),
  };
}

function addedAmount(one: Amount, other: Amount): Amount {
  return {
    sum: one.sum + other.sum,
    filled: one.filled + other.filled,
    smallest: edge(one.smallest, other.smallest, (left, right) => left < right),
    largest: edge(one.largest, other.largest, (left, right) => left > right),
  };
}

type Value = number | string | undefined;

function edge(
  one: Value,
  other: Value,
  isBefore: (one: number | string, other: number | string) => boolean,
): Value {
  if (one === undefined || other === undefined) return one ?? other;
  return isBefore(one, other) ? one : other;
}
