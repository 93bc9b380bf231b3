import { folded } from "./cells.ts";
import { currencyOf } from "./numbers.ts";
import type { ColumnProfile, Example } from "./profile.ts";
import { unitFactor } from "./units.ts";

export interface Mark {
  text: string;
  count: number;
  examples: Example[];
}

/** A unit, and what a number in it is multiplied by. */
export interface Converted extends Mark {
  factor: string;
}

interface Marks {
  /** The unit, currency or percent sign of the numbers; undefined for none. */
  mark?: string;
  /** Other units of the same quantity, and what makes them that. */
  converted: Converted[];
  /** What can't be made that: mistakes. */
  others: Mark[];
}

/** Several currencies, by their codes, and how many numbers have one. */
export interface Currencies {
  currencies: string[];
  marked: number;
}

/** What goes with the numbers; "mixed" where it isn't one thing for nearly all, nor a currency of each. */
export function marksOf(profile: ColumnProfile, numbers: number): Marks | Currencies | "mixed" {
  const marks = joined([...profile.marks.values()]).sort((a, b) => b.count - a.count);
  const marked = marks.reduce((sum, { count }) => sum + count, 0);
  if (marks.length === 0) return { converted: [], others: [] };
  if (marked > numbers) return "mixed";
  const found = marks.map((target): Marks & { covered: number } => {
    const converted = marks.flatMap((other) => {
      const factor = other === target ? undefined : unitFactor(other.text, target.text);
      return factor === undefined ? [] : [{ ...other, factor }];
    });
    const others = marks.filter(
      (other) => other !== target && !converted.some(({ text }) => text === other.text),
    );
    const covered = marked - others.reduce((sum, { count }) => sum + count, 0);
    return { mark: target.text, converted, others, covered };
  });
  const best = found.reduce((one, other) => (other.covered > one.covered ? other : one));
  if (best.covered * 10 >= marked * 9 || marked - best.covered === 1) return best;
  const currencies = marks.map(({ text }) => currencyOf(text));
  return currencies.every((code) => code !== undefined) ? { currencies, marked } : "mixed";
}

/** Marks that mean the same, as one. */
function joined(marks: readonly Mark[]): Mark[] {
  const found: Mark[] = [];
  for (const mark of marks) {
    const same = found.find(({ text }) => sameMark(text, mark.text));
    if (!same) found.push({ ...mark, examples: [...mark.examples] });
    else {
      if (mark.count > same.count) same.text = mark.text;
      same.count += mark.count;
      same.examples.push(...mark.examples);
    }
  }
  return found;
}

/** Whether two signs or units mean the same: `kg`, `KG`, `kgs.`; `€`, `EUR`. */
export function sameMark(one: string, other: string): boolean {
  const currency = currencyOf(one);
  if (currency) return currency === currencyOf(other);
  const plain = (mark: string) =>
    folded(mark)
      .replace(/\.$/, "")
      .replace(/(?<=..)s$/, "");
  // A mega is no milli.
  const prefixes = [one, other].map((mark) => /^[Mm](?=\p{L})/u.exec(mark.trim())?.[0]);
  return plain(one) === plain(other) && prefixes[0] === prefixes[1];
}
