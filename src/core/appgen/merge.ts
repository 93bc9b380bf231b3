import { diff3Merge } from "node-diff3";

/**
 * A text that was changed on two sides since they parted, with the changes of both; undefined where these meet. The line
 * ends are those of `mine`.
 */
export function mergedText(base: string, mine: string, fresh: string): string | undefined {
  const end = mine.includes("\r\n") ? "\r\n" : "\n";
  const [own, from, to] = [mine, base, fresh].map((text) => text.split(/\r?\n/));
  const regions = diff3Merge(own ?? [], from ?? [], to ?? [], { excludeFalseConflicts: true });
  if (regions.some(({ conflict }) => conflict)) return undefined;
  return regions.flatMap(({ ok = [] }) => ok).join(end);
}
