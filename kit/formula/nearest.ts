/**
 * The candidate that a misspelt word most likely meant: at most a third of its letters differ.
 * Undefined where none is that close.
 */
export function nearest(word: string, candidates: Iterable<string>): string | undefined {
  const typed = word.toLowerCase();
  let best: string | undefined;
  let least = Math.floor(typed.length / 3) + 1;
  for (const candidate of candidates) {
    if (Math.abs(candidate.length - typed.length) >= least) continue;
    const distance = editDistance(typed, candidate.toLowerCase());
    if (distance < least) {
      least = distance;
      best = candidate;
    }
  }
  return best;
}

/**
 * Letters to insert, delete, replace or swap with a neighbour to get from one text to the other.
 * Source: the restricted form of Damerau's measure (1964), by dynamic programming over rows.
 */
export function editDistance(from: string, to: string): number {
  let beforeLast: number[] = [];
  let last = Array.from({ length: to.length + 1 }, (_, index) => index);
  for (let i = 1; i <= from.length; i++) {
    const row = [i];
    for (let j = 1; j <= to.length; j++) {
      const same = from[i - 1] === to[j - 1];
      let cost = Math.min(
        (last[j] ?? 0) + 1,
        (row[j - 1] ?? 0) + 1,
        (last[j - 1] ?? 0) + (same ? 0 : 1),
      );
      if (i > 1 && j > 1 && from[i - 1] === to[j - 2] && from[i - 2] === to[j - 1]) {
        cost = Math.min(cost, (beforeLast[j - 2] ?? 0) + 1);
      }
      row.push(cost);
    }
    beforeLast = last;
    last = row;
  }
  return last[to.length] ?? 0;
}
