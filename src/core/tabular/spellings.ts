import { folded } from "./cells.ts";
import type { Spelling } from "./distinct.ts";

/** The spelling that occurs most; the first of those. */
export function usualSpelling(spellings: readonly Spelling[]): string {
  let best = "";
  let most = 0;
  for (const { text, count } of spellings) {
    if (count > most) {
      most = count;
      best = text;
    }
  }
  return best.trim().replace(/\s+/gu, " ");
}

/** The ways in which a value is written, spaces apart. */
export function waysOf(spellings: readonly Spelling[]): string[] {
  return [...new Set(spellings.map(({ text }) => text.trim().replace(/\s+/gu, " ")))];
}

/** Whether case tells such spellings apart, as in `MW` and `mW`: short ones with capitals and small letters in them. */
export function differByCase(spellings: readonly Spelling[]): boolean {
  const ways = waysOf(spellings);
  const isSymbol = (text: string) =>
    text.length <= 4 &&
    /\p{Lu}/u.test(text) &&
    /\p{Ll}/u.test(text) &&
    !/^\p{Lu}\p{Ll}*$/u.test(text);
  return ways.length > 1 && ways.some(isSymbol) && ways.every((way) => folded(way).length <= 4);
}
