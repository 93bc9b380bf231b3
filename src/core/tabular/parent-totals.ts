import { numberText, quote } from "./cells.ts";

/** What a parent says of the sum of its lines, and the sums that it may be. */
interface Parent {
  name: string;
  said: (number | null)[];
  sums: number[];
}

/** The fewest parents of which most agree. */
const fewest = 3;

/**
 * Compares what parents say with the sums of their lines: where a field of most parents is the sum of a field of their
 * lines, the others are told.
 */
export class ParentTotals {
  readonly #parents = new Map<string, Parent>();

  constructor(
    /** The labels of the numbers of a parent, and of a line. */
    readonly parents: readonly string[],
    readonly lines: readonly string[],
  ) {}

  take(
    key: string,
    name: string,
    said: (number | null)[],
    amounts: readonly (number | null)[],
  ): void {
    const parent = this.#parents.get(key) ?? { name, said, sums: this.lines.map(() => 0) };
    this.#parents.set(key, parent);
    for (const [at, amount] of amounts.entries()) {
      parent.sums[at] = (parent.sums[at] ?? 0) + (amount ?? 0);
    }
  }

  /** What is a sum of what, and which parents say another one. */
  told(): string[] {
    const all = [...this.#parents.values()];
    if (all.length < fewest) return [];
    return this.parents.flatMap((label, field) => {
      const stated = all.filter(({ said }) => (said[field] ?? null) !== null);
      const isSum = ({ said, sums }: Parent, line: number) =>
        Math.abs((said[field] ?? 0) - (sums[line] ?? 0)) < 0.005;
      const line = this.lines.findIndex(
        (_, at) =>
          stated.length >= fewest &&
          stated.filter((each) => isSum(each, at)).length >= 0.8 * stated.length,
      );
      if (line < 0) return [];
      const wrong = stated.filter((each) => !isSum(each, line));
      const head = `${label} is the sum of ${this.lines[line]} in ${stated.length - wrong.length} of ${stated.length}`;
      const others = wrong.slice(0, 4).map(({ name, said, sums }) => {
        const stands = numberText(said[field] ?? 0);
        return `${quote(name)} says ${stands}, and the sum is ${numberText(sums[line] ?? 0)}`;
      });
      return [[head, ...others].join("; ")];
    });
  }
}
