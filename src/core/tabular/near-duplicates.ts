import { editDistance } from "../../../kit/formula/nearest.ts";
import type { DistinctValue } from "./distinct.ts";
import { usualSpelling } from "./spellings.ts";

/** Two values of a column that may be one, with the first row of each. */
export interface NearDuplicate {
  one: string;
  other: string;
  rows: [number, number];
}

const mostValues = 2000;
/** Comparing two words letter by letter takes some microseconds. */
const mostCompared = 100_000;
const mostFound = 20;

/**
 * Values that differ in accents, spaces and signs only, such as `M 42` and `M42`; and words in which one letter is
 * another than in one that comes often.
 */
export function nearDuplicates(values: Iterable<DistinctValue>): NearDuplicate[] {
  const all = [...values].filter(({ rows }) => rows.length > 0);
  if (all.length > mostValues) return [];
  const found: NearDuplicate[] = [];
  const note = (one: DistinctValue, other: DistinctValue): void => {
    if (found.length >= mostFound) return;
    found.push({
      one: usualSpelling(one.spellings),
      other: usualSpelling(other.spellings),
      rows: [one.rows[0] ?? 0, other.rows[0] ?? 0],
    });
  };
  const bare = new Map<string, DistinctValue>();
  for (const value of all) {
    const key = bareText(usualSpelling(value.spellings));
    const known = bare.get(key);
    if (key === "") continue;
    if (known) note(known, value);
    else bare.set(key, value);
  }
  const words = [...bare].filter(([key]) => key.length >= 5 && /^\p{L}+$/u.test(key));
  const often = words.filter(([, { count }]) => count >= 3);
  const once = words.filter(([, { count }]) => count === 1);
  if (often.length * once.length > mostCompared) return found;
  for (const [key, value] of once) {
    const near = often.find(
      ([other]) =>
        other !== key && Math.abs(other.length - key.length) <= 1 && editDistance(key, other) === 1,
    );
    if (near) note(near[1], value);
  }
  return found;
}

/** A text without accents, case, spaces and signs. */
function bareText(text: string): string {
  return text
    .normalize("NFKD")
    .replace(/[^\p{L}\p{N}]+/gu, "")
    .toLowerCase();
}
