/** Rows beyond these aren't compared with each other. */
const mostRows = 50_000;

/** The most columns that tell rows apart together. */
export const mostTogether = 3;

/** Columns beyond these aren't tried. */
const mostCandidates = 8;

/** Keeps which values the rows have, by their numbers among those of a column; -1 for none. */
export class RowValues {
  #values = new Int32Array(0);
  #rows = 0;
  /** Whether there were more rows than are kept. */
  isPartial = false;

  constructor(readonly columns: number) {}

  take(indexes: Int32Array): void {
    if (this.#rows >= mostRows) {
      this.isPartial = true;
      return;
    }
    const start = this.#rows * this.columns;
    if (start + this.columns > this.#values.length) {
      const larger = new Int32Array(Math.max(1024, 2 * (start + this.columns)));
      larger.set(this.#values);
      this.#values = larger;
    }
    this.#values.set(indexes.subarray(0, this.columns), start);
    this.#rows++;
  }

  /** The same of some columns alone. */
  only(places: readonly number[]): RowValues {
    const kept = new RowValues(places.length);
    for (const numbers of this.rowsOf(places)) kept.take(Int32Array.from(numbers));
    kept.isPartial = this.isPartial;
    return kept;
  }

  /** The numbers of the values of some columns in each row. */
  *rowsOf(places: readonly number[]): Generator<number[]> {
    for (let row = 0; row < this.#rows; row++) {
      yield places.map((place) => this.#values[row * this.columns + place] as number);
    }
  }

  /**
   * The fewest of some columns that no two rows have alike, by their places; undefined where there are none. Rows that
   * are there twice as a whole don't count, as many as `copies`.
   */
  keyAmong(candidates: readonly number[], copies: number): number[] | undefined {
    if (this.isPartial || this.#rows < 2) return undefined;
    const kept = candidates.filter((place) => place < this.columns).slice(0, mostCandidates);
    for (let size = 2; size <= mostTogether; size++) {
      for (const places of combinations(kept, size)) {
        if (this.#repeated(places, copies) <= copies) return places;
      }
    }
    return undefined;
  }

  #repeated(places: readonly number[], limit: number): number {
    const seen = new Set<string>();
    let repeated = 0;
    for (let row = 0; row < this.#rows; row++) {
      let key = "";
      for (const place of places) {
        const value = this.#values[row * this.columns + place] as number;
        if (value < 0) return Infinity;
        key += `${value} `;
      }
      if (seen.has(key) && ++repeated > limit) return repeated;
      seen.add(key);
    }
    return repeated;
  }
}

function* combinations(of: readonly number[], size: number, from = 0): Generator<number[]> {
  if (size === 0) {
    yield [];
    return;
  }
  for (let at = from; at <= of.length - size; at++) {
    for (const rest of combinations(of, size - 1, at + 1)) yield [of[at] as number, ...rest];
  }
}
