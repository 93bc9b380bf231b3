import { andList, labelOf } from "../../naming/words.ts";
import type { ProfiledSheet } from "../draft.ts";
import { numberedNoun } from "../header-words.ts";
import type { ColumnProfile } from "../profile.ts";
import { fieldTitle } from "../titles.ts";
import type { FoundJoin } from "./joins.ts";
import { isCalling, isKey } from "./settling.ts";
import { untakenTitle } from "./words.ts";

/** Columns beyond these aren't tried. */
const mostTried = 8;
/** The fewest columns that must repeat with a pair: one may do so by chance. */
const fewest = 2;
const fewestConfirmations = 4;

interface Pair {
  columns: [ColumnProfile, ColumnProfile];
  /** The columns that always repeat with it. */
  along: ColumnProfile[];
}

/**
 * Two columns with which others repeat, and with neither of them alone: an apiary and the number of a hive, with the queen of the
 * hive. They become one column, by which what repeats can be split off. Undefined where there are none.
 */
export function findPairSplit(sheet: ProfiledSheet): FoundJoin | undefined {
  const { columns, values, dependencies } = sheet.profile;
  const single = dependencies.found();
  const isSingle = (by: number, on: number) =>
    single.some((pair) => pair.by === by && pair.on === on);
  const tried = columns.flatMap((column, at) =>
    at < Math.min(mostTried, values.columns) && isCandidate(column, sheet) ? [at] : [],
  );
  const pairs = tried.flatMap((one, index) =>
    tried.slice(index + 1).flatMap((other): Pair[] => {
      if (isSingle(one, other) || isSingle(other, one)) return [];
      const rest = columns.flatMap(({ distinct }, at) =>
        at < values.columns &&
        at !== one &&
        at !== other &&
        distinct.size > 1 &&
        !isSingle(one, at) &&
        !isSingle(other, at)
          ? [at]
          : [],
      );
      const along = repeating(sheet, [one, other], rest);
      const [first, second] = [columns[one], columns[other]];
      if (along.length < fewest || !first || !second) return [];
      return [{ columns: [first, second], along: along.flatMap((at) => columns[at] ?? []) }];
    }),
  );
  const [best] = pairs.sort((one, other) => other.along.length - one.along.length);
  if (!best) return undefined;
  const headers = best.columns.map(({ header }) => header);
  const titles = new Set(columns.map(({ header }) => header.toLowerCase()));
  return {
    title: untakenTitle(nounOf(best.columns), titles),
    columns: best.columns,
    why: `${andList(best.along.map(({ header }) => header))} repeat with ${andList(headers)} together`,
    isInstead: false,
    isForSplit: true,
  };
}

function isCandidate(column: ColumnProfile, sheet: ProfiledSheet): boolean {
  const { header, distinct } = column;
  const repeats = distinct.size > 1 && !distinct.overflowed && distinct.repeated > 0;
  return header !== "" && repeats && isCalling(column) && !isKey(column, sheet);
}

/** The columns that have the same value in all rows with the same two others. */
function repeating(
  { profile }: ProfiledSheet,
  by: readonly [number, number],
  on: readonly number[],
): number[] {
  const seen = new Map<string, number[]>();
  const confirmed = on.map(() => 0);
  const contradicted = on.map(() => false);
  let rows = 0;
  for (const [one = -1, other = -1, ...rest] of profile.values.rowsOf([...by, ...on])) {
    if (one < 0 || other < 0) continue;
    rows++;
    const known = seen.get(`${one} ${other}`);
    if (!known) seen.set(`${one} ${other}`, rest);
    for (const [at, value] of known ? rest.entries() : []) {
      if (value !== known?.[at]) contradicted[at] = true;
      else if (value >= 0) confirmed[at] = (confirmed[at] ?? 0) + 1;
    }
    if (contradicted.every(Boolean)) return [];
  }
  const sizes = by.map((at) => profile.columns[at]?.distinct.size ?? 0);
  const isTelling = seen.size > 1.2 * Math.max(...sizes) && rows >= 2 * seen.size;
  return isTelling
    ? on.filter((_, at) => !contradicted[at] && (confirmed[at] ?? 0) >= fewestConfirmations)
    : [];
}

/** What two columns name together: of a hive's number that is a hive, otherwise both. */
function nounOf(columns: readonly ColumnProfile[]): string {
  const names = columns.map(({ header }) => fieldTitle(header, 0, "", new Set()).name);
  // A number is one within what is named before it.
  const numbered = names.map(numberedNoun).filter((noun) => noun !== undefined);
  return labelOf(numbered.at(-1) ?? names.join("_"));
}
