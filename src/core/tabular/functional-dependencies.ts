/** Two columns that repeat together: equal values in the one have equal values in the other. */
export interface Dependency {
  /** Places among the sheet's columns. */
  by: number;
  on: number;
  /** Rows that had the same pair as one before. */
  confirmations: number;
  /** Rows in which the second is another than before. */
  contradictions: number;
  firstContradictions: number[];
}

interface Pair extends Dependency {
  /** For each value of `by`, the value of `on` in its first row, plus one. */
  first: Int32Array;
}

/** Columns with more values than this are no lookups. */
const mostValues = 5000;
const settling = 1000;

/**
 * Watches which columns repeat together. All pairs are watched at first; those that contradict
 * themselves too often are dropped as the rows go by, so that few are left after the first thousands.
 */
export class Dependencies {
  #pairs: Pair[] = [];
  #distinct: Int32Array;
  #rows = 0;

  constructor(readonly columns: number) {
    this.#distinct = new Int32Array(columns);
    for (let by = 0; by < columns; by++) {
      for (let on = 0; on < columns; on++) {
        if (by !== on) {
          this.#pairs.push({
            by,
            on,
            confirmations: 0,
            contradictions: 0,
            firstContradictions: [],
            first: new Int32Array(16),
          });
        }
      }
    }
  }

  /** Takes a row: the number of each column's value, -1 for none. */
  take(indexes: Int32Array, row: number): void {
    if (this.#pairs.length === 0) return;
    this.#rows++;
    for (let column = 0; column < this.columns; column++) {
      const count = (indexes[column] as number) + 1;
      if (count > (this.#distinct[column] as number)) this.#distinct[column] = count;
    }
    for (const pair of this.#pairs) {
      const by = indexes[pair.by] as number;
      const on = indexes[pair.on] as number;
      if (by < 0 || on < 0) continue;
      if (by >= pair.first.length) {
        const wider = new Int32Array(Math.max(by + 1, pair.first.length * 2));
        wider.set(pair.first);
        pair.first = wider;
      }
      const before = pair.first[by] as number;
      if (before === 0) pair.first[by] = on + 1;
      else if (before === on + 1) pair.confirmations++;
      else {
        pair.contradictions++;
        if (pair.firstContradictions.length < 5) pair.firstContradictions.push(row);
      }
    }
    if (this.#rows % settling === 0) this.#drop();
  }

  #drop(): void {
    this.#pairs = this.#pairs.filter(({ by, contradictions }) => {
      const values = this.#distinct[by] as number;
      return (
        values <= mostValues &&
        values * 3 <= this.#rows * 2 &&
        contradictions <= allowed(this.#rows)
      );
    });
  }

  /** The same among some columns alone. */
  only(places: readonly number[]): Dependencies {
    const kept = new Dependencies(0);
    kept.#distinct = Int32Array.from(places, (place) => this.#distinct[place] ?? 0);
    kept.#rows = this.#rows;
    kept.#pairs = this.#pairs.flatMap((pair) => {
      const [by, on] = [places.indexOf(pair.by), places.indexOf(pair.on)];
      return by < 0 || on < 0 ? [] : [{ ...pair, by, on }];
    });
    return kept;
  }

  /** The pairs that hold, but for a few rows, and for more than a few. */
  found(): Dependency[] {
    return this.#pairs.filter(({ by, confirmations, contradictions }) => {
      const values = this.#distinct[by] as number;
      const repeated = this.#rows - values;
      const enough = confirmations >= 4 && confirmations * 2 >= repeated;
      return (
        values >= 2 &&
        values * 3 <= this.#rows * 2 &&
        contradictions <= allowed(this.#rows) &&
        enough
      );
    });
  }
}

/** How many rows may contradict: mistakes, not a rule. */
function allowed(rows: number): number {
  return Math.max(1, Math.floor(rows * 0.03));
}
