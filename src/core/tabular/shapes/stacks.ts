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
 * The groups of tables that have the same columns at the same place: sheets of one workbook, or text files. Few columns
 * aren't enough, unless the names are those of a series, or have a word in common.
 */
export function findStacks(tables: readonly Stackable[]): FoundStack[] {
  const groups = new Map<string, number[]>();
  for (const [at, { book = "", layout }] of tables.entries()) {
    const { header, firstRow, columns } = layout;
    if (!header || columns.length < 2) continue;
    const titles = columns.map((column) => `${column.column} ${folded(column.header)}`);
    const shape = [book, header.first, header.last, firstRow, ...titles].join("\n");
    groups.set(shape, [...(groups.get(shape) ?? []), at]);
  }
  return [...groups.values()]
    .filter(({ length }) => length > 1)
    .map((members) => ({
      members,
      names: stackNames(members.map((at) => tables[at]?.name ?? "")),
    }))
    .filter(({ members, names }) => {
      const columns = tables[members[0] ?? 0]?.layout.columns.length ?? 0;
      return columns > fewColumns || names.kind !== undefined || names.common !== "";
    });
}

/** What sheets' names say of each, and of all: `Yield 2024` and `Yield 2025` are yields of two years. */
export function stackNames(names: readonly string[]): StackNames {
  const words = names.map((name) =>
    name.trim().split(/[\s_-]+|(?<=\p{L})(?=\d)|(?<=\d)(?=\p{L})/u),
  );
  const [first = []] = words;
  const isEverywhere = (word: string) =>
    words.every((all) => all.some((each) => folded(each) === folded(word)));
  const common = first.filter((word) => /^\p{L}/u.test(word) && isEverywhere(word));
  const short = words.map((all) =>
    all.filter((word) => !common.some((each) => folded(each) === folded(word))).join(" "),
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
