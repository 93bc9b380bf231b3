import { folded } from "./cells.ts";
import type { DistinctValue } from "./distinct.ts";
import { usualSpelling } from "./spellings.ts";

/** Signs between the names in a cell, the surest first. */
const signs = [";", "|", "/", "+", ","] as const;

const longestPart = 40;
const mostWords = 4;

/**
 * The sign between names in the cells of a column that lists several of them; undefined where no sign is one. Names
 * come again in other cells. A comma within names, as in `Bell, Ada`, has others before than behind it.
 */
export function listSign(values: Iterable<DistinctValue>): string | undefined {
  const cells = [...values].map(({ spellings, count }) => ({
    text: usualSpelling(spellings),
    count,
  }));
  const all = cells.reduce((sum, { count }) => sum + count, 0);
  return signs.find((sign) => {
    const lists = cells.map(({ text, count }) => ({ parts: partsOf(text, sign), count }));
    const several = lists.filter(({ parts }) => parts.length > 1);
    const inSeveral = several.reduce((sum, { count }) => sum + count, 0);
    if (several.length < 3 || inSeveral * 3 < all) return false;
    const parts = lists.flatMap(({ parts: each, count }) =>
      each.map((text) => ({ text: folded(text), count })),
    );
    const isName = (text: string) =>
      text.length <= longestPart && text.split(" ").length <= mostWords && /\p{L}/u.test(text);
    if (!parts.every(({ text }) => isName(text))) return false;
    const different = new Set(parts.map(({ text }) => text));
    const total = parts.reduce((sum, { count }) => sum + count, 0);
    return total >= 2 * different.size && !isOneName(several.map((list) => list.parts));
  });
}

/** The names in a cell, each once. */
export function partsOf(text: string, sign: string): string[] {
  const found = new Map<string, string>();
  for (const part of text.split(sign)) {
    const name = part.trim().replace(/\s+/gu, " ");
    if (name !== "" && !found.has(folded(name))) found.set(folded(name), name);
  }
  return [...found.values()];
}

/** Whether cells are of as many parts each, of which the first ones are never among the others. */
function isOneName(lists: readonly (readonly string[])[]): boolean {
  const length = lists[0]?.length ?? 0;
  if (!lists.every((parts) => parts.length === length)) return false;
  const first = new Set(lists.map(([part = ""]) => folded(part)));
  return lists.every(([, ...others]) => others.every((part) => !first.has(folded(part))));
}
