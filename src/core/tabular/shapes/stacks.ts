import { type Addresses, folded } from "../cells.ts";
import type { Layout } from "../layout.ts";
import { kindOfSteps, type SeriesKind } from "./series.ts";

/** Sheets of one shape: their places among all, and what tells them from each other. */
export interface FoundStack {
  members: number[];
  names: StackNames;
}

export interface StackNames {
  /** What each sheet is, without the words that all of them have. */
  values: string[];
  /** The words that all of them have; blank for none. */
  common: string;
  /** What the values are, where that is known. */
  kind?: SeriesKind;
}

/** A table that may be one of several. */
export interface Stackable {
  name: string;
  /** Its workbook; undefined for a text file. */
  book: string | undefined;
  layout: Layout;
}

/** Tables with so few columns may be alike by chance. */
const fewColumns = 2;

/**
 * The groups of tables that have the same columns at the same place: sheets of one workbook, text files, or the sheets of
 * one name in several workbooks. Few columns aren't enough, unless the names are those of a series, or have a word in common.
 */
export function findStacks(tables: readonly Stackable[]): FoundStack[] {
  const shaped = tables.flatMap(({ layout }, at) => {
    const { header, firstRow, columns } = layout;
    if (!header || columns.length < 2) return [];
    const titles = columns.map((column) => `${column.column} ${folded(column.header)}`);
    return [{ at, shape: [header.first, header.last, firstRow, ...titles].join("\n") }];
  });
  const grouped = (from: typeof shaped, by: (table: Stackable) => string) => {
    const groups = new Map<string, typeof shaped>();
    for (const each of from) {
      const key = `${by(tables[each.at] as Stackable)}\n${each.shape}`;
      groups.set(key, [...(groups.get(key) ?? []), each]);
    }
    return [...groups.values()];
  };
  const [within, alone] = [true, false].map((isSeveral) =>
    grouped(shaped, ({ book = "" }) => book).filter(({ length }) => length > 1 === isSeveral),
  );
  const across = grouped((alone ?? []).flat(), ({ name }) => folded(name));
  return [...(within ?? []), ...across]
    .filter(({ length }) => length > 1)
    .map((group) => {
      const found = group.map(({ at }) => at);
      const members = found.map((at) => tables[at] as Stackable);
      return { members: found, names: stackNames(partNames(members)) };
    })
    .filter(({ members, names }) => {
      const columns = tables[members[0] ?? 0]?.layout.columns.length ?? 0;
      return columns > fewColumns || names.kind !== undefined || names.common !== "";
    });
}

/** What tells the parts of a stack from each other: the names of their sheets, or of their files where those are the same. */
export function partNames(parts: readonly { name: string; book: string | undefined }[]): string[] {
  const isSame = new Set(parts.map(({ name }) => folded(name))).size === 1;
  return parts.map(({ name, book }) => (isSame && book !== undefined ? withoutEnding(book) : name));
}

/** A file's name without its ending. */
export function withoutEnding(file: string): string {
  return file.replace(/\.[^.]*$/, "");
}

/** What sheets' names say of each, and of all: `Yield 2024` and `Yield 2025` are yields of two years. */
export function stackNames(names: readonly string[]): StackNames {
  // Words, and what is between them.
  const pieces = names.map((name) =>
    name.trim().split(/([\s_-]+|(?<=\p{L})(?=\d)|(?<=\d)(?=\p{L}))/u),
  );
  const words = pieces.map((all) => all.filter((_, at) => at % 2 === 0));
  const [first = []] = words;
  const isEverywhere = (word: string) =>
    words.every((all) => all.some((each) => folded(each) === folded(word)));
  const common = first.filter((word) => /^\p{L}/u.test(word) && isEverywhere(word));
  const isCommon = (word: string) => common.some((each) => folded(each) === folded(word));
  const short = pieces.map((all) =>
    all
      .flatMap((word, at) => (at % 2 === 0 && !isCommon(word) ? [word, all[at + 1] ?? ""] : []))
      .join("")
      .replace(/[\s_-]+$/u, ""),
  );
  const isTold = short.every((text) => text !== "") && new Set(short).size === new Set(names).size;
  const values = isTold ? short : names.map((name) => name.trim());
  const kind = kindOfSteps(values);
  return {
    values,
    common: isTold && common.some(({ length }) => length > 1) ? common.join(" ") : "",
    ...(kind && { kind }),
  };
}

const stride = 100_000_000;

/** The number that a row of one of several sheets goes by, so that it can be found again. */
export function stackedRow(sheet: number, row: number): number {
  return sheet * stride + row;
}

/** The addresses of rows that go by such numbers. */
export function stackedAddresses(
  sheets: readonly { name: string; addresses: Addresses }[],
): Addresses {
  const found = (row: number) => sheets[Math.floor(row / stride)];
  return {
    cell: (column, row) => {
      const sheet = found(row);
      return `${sheet?.name}!${sheet?.addresses.cell(column, row % stride)}`;
    },
    row: (row) => {
      const sheet = found(row);
      return `${sheet?.addresses.row(row % stride)} of ${sheet?.name}`;
    },
  };
}
