import { andList, labelOf, words } from "../../naming/words.ts";
import { folded } from "../cells.ts";
import type { ProfiledSheet } from "../draft.ts";
import { languageOf } from "../languages.ts";
import { referenceTo } from "../layout.ts";
import type { SheetPlan } from "../plan.ts";
import { type ColumnProfile, onlyColumns } from "../profile.ts";
import { mostTogether } from "../row-keys.ts";
import { entityName, fieldTitle, sheetWords } from "../titles.ts";
import { isCalling, isKey } from "./settling.ts";
import { shapeWords, untakenTitle } from "./words.ts";

/** A column to make of several others of a sheet. */
export interface FoundJoin {
  title: string;
  columns: ColumnProfile[];
  why: string;
  /** Whether the others say nothing beside it. */
  isInstead: boolean;
  /** Whether it is there for splitting records off only. */
  isForSplit?: boolean;
}

/** The part of the rows that have to refer to one that is there. */
const most = 0.9;

/**
 * Some records are identified by several columns, such as an apiary and the number of a hive in it. If another sheet refers
 * to them by the same columns, each of the two sheets gets one column that is made of these.
 */
export function findJoins(sheets: readonly ProfiledSheet[]): Map<ProfiledSheet, FoundJoin[]> {
  const found = new Map<ProfiledSheet, FoundJoin[]>();
  const add = (sheet: ProfiledSheet, join: FoundJoin) =>
    found.set(sheet, [...(found.get(sheet) ?? []), join]);
  const plain = sheets.filter(({ profile }) => !profile.layout.reshaping?.unpivot);
  const keys = new Map(plain.map((sheet) => [sheet, keyOf(sheet)]));
  // What identifies the rows of a sheet stays, and no columns refer to two sheets.
  const isFree = (sheet: ProfiledSheet, columns: readonly ColumnProfile[]) => {
    const isOwnKey = keys.get(sheet)?.every((column) => columns.includes(column)) ?? false;
    const taken = (found.get(sheet) ?? []).flatMap((join) => (join.isInstead ? join.columns : []));
    return !isOwnKey && !columns.some((column) => taken.includes(column));
  };
  for (const [target, key] of keys) {
    if (!key) continue;
    const there = tuples(target, key);
    const referring = plain.flatMap((sheet) => {
      const columns = sheet === target ? undefined : columnsLike(key, sheet);
      const isReference = columns && isFree(sheet, columns) && refers(sheet, columns, there);
      return isReference ? [{ sheet, columns }] : [];
    });
    if (referring.length === 0) continue;
    const headers = (columns: readonly ColumnProfile[]) =>
      andList(columns.map(({ header }) => header));
    add(target, {
      title: untakenTitle(shapeWords(languageIn(target)).name, titlesOf(target)),
      columns: key,
      why: `${headers(key)} together identify a row: they are put together as its name, because other sheets refer to it by them`,
      isInstead: false,
    });
    const noun = nounOf(target);
    for (const { sheet, columns } of referring) {
      add(sheet, {
        title: untakenTitle(noun, titlesOf(sheet)),
        columns,
        why: `${headers(columns)} are those of ${target.sheet ?? target.file}: together they refer to a row there`,
        isInstead: true,
      });
    }
  }
  return found;
}

/** The part of a plan's columns that a sheet must have to be read like it. */
const mostTitles = 0.7;

/** The columns that the plan of an earlier import makes of a sheet with the same columns; the newest plans come first. */
export function knownJoins({ profile }: ProfiledSheet, plans: readonly SheetPlan[]): FoundJoin[] {
  const columnOf = (title: string) =>
    profile.columns.find(({ header }) => header !== "" && folded(header) === folded(title));
  for (const { joined = [], fields, leave, entity } of plans) {
    const made = joined.map(({ title }) => title);
    const titles = [...fields.map(({ column }) => column), ...leave].filter(
      (title) => title !== "" && !made.includes(title),
    );
    const there = titles.filter(columnOf).length;
    if (joined.length === 0 || there < mostTitles * titles.length) continue;
    return joined.flatMap(({ title, columns: all }): FoundJoin[] => {
      const columns = all.flatMap((each) => columnOf(each) ?? []);
      if (columns.length < all.length) return [];
      const isInstead = all.every((each) => leave.includes(each));
      const why = `${andList(all)} are put together as in an earlier import of ${entity}`;
      return [{ title, columns, why, isInstead }];
    });
  }
  return [];
}

/**
 * The columns that together identify the rows of a sheet; undefined if one column does, or none do. They have to be the first
 * ones: a sheet that begins with a day is about what was done to the records, not about the records.
 */
function keyOf(sheet: ProfiledSheet): ColumnProfile[] | undefined {
  const { columns, values, copies, layout } = sheet.profile;
  if (layout.reshaping || columns.some((column) => isKey(column, sheet))) return undefined;
  const places = columns.flatMap((column, at) =>
    at < mostTogether && column.blanks === 0 && column.header !== "" && isCalling(column)
      ? [at]
      : [],
  );
  const key = values.keyAmong(places, copies);
  return key?.every((at) => at < key.length) ? key.flatMap((at) => columns[at] ?? []) : undefined;
}

/** The columns of a sheet that have the values of others, and are called like them. */
function columnsLike(
  key: readonly ColumnProfile[],
  { profile }: ProfiledSheet,
): ColumnProfile[] | undefined {
  const taken = new Set<ColumnProfile>();
  for (const wanted of key) {
    const fitting = profile.columns.filter(
      (column, at) =>
        at < profile.values.columns &&
        !taken.has(column) &&
        isLike(column, wanted) &&
        isCalling(column),
    );
    const [best] = fitting.sort((one, other) => shareOf(other, wanted) - shareOf(one, wanted));
    if (!best || shareOf(best, wanted) < most) return undefined;
    taken.add(best);
  }
  return [...taken];
}

function shareOf({ distinct }: ColumnProfile, key: ColumnProfile): number {
  return distinct.sharedWith(key.distinct) / Math.max(1, distinct.size);
}

/** Whether the one title has all words of the other: `Hive no` and `No`. */
function isLike({ header }: ColumnProfile, { header: wanted }: ColumnProfile): boolean {
  const [one, other] = [header, wanted].map((title) =>
    words(fieldTitle(title, 0, "", new Set()).name),
  );
  const [few = [], many = []] =
    (one?.length ?? 0) <= (other?.length ?? 0) ? [one, other] : [other, one];
  return few.length > 0 && few.every((word) => many.includes(word));
}

/** What the rows of a sheet have in some columns. */
function tuples(sheet: ProfiledSheet, columns: readonly ColumnProfile[]): Set<string> {
  return new Set(tuplesOf(sheet, columns).filter((tuple) => tuple !== undefined));
}

function tuplesOf(
  { profile }: ProfiledSheet,
  columns: readonly ColumnProfile[],
): (string | undefined)[] {
  const texts = columns.map(({ distinct }) => [...distinct.values.keys()]);
  const places = columns.map((column) => profile.columns.indexOf(column));
  return Array.from(profile.values.rowsOf(places), (numbers) => {
    const parts = numbers.map((number, at) => texts[at]?.[number]);
    return parts.includes(undefined) ? undefined : parts.join("\u001f");
  });
}

function refers(
  sheet: ProfiledSheet,
  columns: readonly ColumnProfile[],
  there: ReadonlySet<string>,
): boolean {
  const all = tuplesOf(sheet, columns).filter((tuple) => tuple !== undefined);
  const matching = all.filter((tuple) => there.has(tuple)).length;
  return new Set(all).size >= 2 && matching >= most * all.length;
}

function titlesOf({ profile }: ProfiledSheet): Set<string> {
  return new Set(profile.columns.map(({ header }) => header.toLowerCase()));
}

/** What one row of a sheet is. */
function nounOf(target: ProfiledSheet): string {
  const called = target.shape.called ?? target.sheet;
  const language = languageIn(target);
  return labelOf(entityName(called, target.file, { taken: new Set(), language }));
}

function languageIn({ shape, sheet, file, profile }: ProfiledSheet): string {
  return languageOf(profile.columns, [sheetWords(shape.called ?? sheet, file)]) ?? "en";
}

/** A sheet that was looked at with such columns, without those that say nothing beside them. */
export function withJoins(seen: ProfiledSheet, joins: readonly FoundJoin[]): ProfiledSheet {
  const { shape, profile } = seen;
  const references = (columns: readonly ColumnProfile[]) =>
    columns.map(({ column }) => referenceTo(column, profile.layout.columns));
  const left = joins.flatMap(({ isInstead, columns }) => (isInstead ? columns : []));
  const leaves = new Set(left.map(({ column }) => column));
  return {
    ...seen,
    profile: onlyColumns(profile, ({ column }) => !leaves.has(column)),
    shape: {
      ...shape,
      plan: {
        ...shape.plan,
        joined: joins.map(({ title, columns, isForSplit }) => ({
          title,
          columns: references(columns),
          ...(isForSplit && { isForSplit }),
        })),
      },
      why: [...shape.why, ...joins.map(({ why }) => why)],
      leave: [...shape.leave, ...references(left)],
    },
  };
}
