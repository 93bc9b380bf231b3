import { type Blanks, type Cell, cellText, isEmpty, oneLine, type Row } from "../cells.ts";
import type { Layout, LayoutColumn, SeriesGroup } from "../layout.ts";
import { Repeats } from "./repeats.ts";

/*
 * Records of a table whose rows aren't one record each: where a column stands for a month, each of its cells is a
 * record. Columns that are made of others, or of the sheet's name, are behind those of the sheet.
 */

/** A record of a row. */
export interface TableRecord {
  cells: Row;
  /** The group that the values are from. */
  group?: SeriesGroup;
}

/** The columns of a table's records. */
export function recordColumns(layout: Layout): LayoutColumn[] {
  return layout.reshaping?.columns ?? layout.columns;
}

/** Makes records of the rows of a table, which come in their order. */
export class RecordReader {
  readonly #repeats: Repeats;

  constructor(
    readonly layout: Layout,
    readonly blanks: Blanks,
  ) {
    this.#repeats = new Repeats(layout.repeat ?? [], blanks);
  }

  /** The records in a row of data. Where columns are unpivoted, a group without a value gives none. */
  recordsOf(row: Row): TableRecord[] {
    return recordsOf(this.layout, this.#repeats.filled(row), this.blanks);
  }
}

function recordsOf({ reshaping }: Layout, row: Row, blanks: Blanks): TableRecord[] {
  if (!reshaping) return [{ cells: row }];
  const { unpivot, name, joined = [] } = reshaping;
  const whole: Cell[] = [...row];
  if (name) whole[name.column] = name.value;
  for (const { column, of } of joined)
    whole[column] = joinedCell(
      of.map((each) => whole[each]),
      blanks,
    );
  if (!unpivot) return [{ cells: filledUp(whole) }];
  return unpivot.groups.flatMap((group) => {
    const found = group.columns.map((column) =>
      column === undefined ? null : (row[column] ?? null),
    );
    if (found.every((cell) => isEmpty(cell) || blanks.has(cell))) return [];
    const made = new Set([name, ...joined].map((each) => each?.column));
    const cells = whole.map((cell, column) =>
      unpivot.keep.has(column) || made.has(column) ? cell : null,
    );
    cells[unpivot.title] = group.label;
    for (const [at, column] of unpivot.values.entries()) cells[column] = found[at] ?? null;
    return [{ cells: filledUp(cells), group }];
  });
}

/**
 * The texts of some cells as one; nothing where one of them is blank. Different cells give different texts: `North 1` and `2`
 * isn't the same as `North` and `1 2`.
 */
function joinedCell(parts: readonly (Cell | undefined)[], blanks: Blanks): Cell {
  const texts = parts.map((cell = null) =>
    blanks.has(cell) ? "" : oneLine(cellText(cell)).replaceAll(" / ", " // "),
  );
  if (texts.includes("")) return null;
  const isPlain = !texts.slice(1).some((text) => text.includes(" "));
  return texts.join(isPlain && !texts.some((text) => text.includes(" // ")) ? " " : " / ");
}

/** The column of the sheet from which a record has a cell; undefined for one that no cell says. */
export function sourceColumn(
  { reshaping }: Layout,
  column: number,
  group: SeriesGroup | undefined,
): number | undefined {
  if (!reshaping) return column;
  const { unpivot, name, joined = [] } = reshaping;
  if (column === name?.column) return undefined;
  const parts = joined.find((each) => each.column === column);
  if (parts) return parts.of[0];
  if (!unpivot) return column;
  if (column === unpivot.title) return group?.columns.find((each) => each !== undefined);
  const at = unpivot.values.indexOf(column);
  return at < 0 ? column : group?.columns[at];
}

/** A row without holes. */
function filledUp(cells: readonly (Cell | undefined)[]): Row {
  return Array.from(cells, (cell) => cell ?? null);
}

/** A layout whose columns of a series become records; `keep` are the columns that each of them has beside its values. */
export function unpivoted(
  layout: Layout,
  groups: readonly SeriesGroup[],
  { title, values, keep }: { title: string; values: readonly string[]; keep: readonly number[] },
): Layout {
  const first = behind(layout);
  const made = [title, ...values].map(
    (header, at): LayoutColumn => ({ column: first + at, header }),
  );
  const kept = layout.columns.filter(({ column }) => keep.includes(column));
  return {
    ...layout,
    reshaping: {
      columns: [...kept, ...made],
      unpivot: {
        title: first,
        values: values.map((_, at) => first + 1 + at),
        groups,
        keep: new Set(keep),
      },
    },
  };
}

/** A layout with the name of its sheet, or what tells it from others, as a column. */
export function named(layout: Layout, header: string, value: string): Layout {
  const column = behind(layout);
  return {
    ...layout,
    reshaping: {
      ...layout.reshaping,
      columns: [...recordColumns(layout), { column, header }],
      name: { column, value },
    },
  };
}

/** A layout with a column that is made of the texts of others. */
export function joined(layout: Layout, header: string, of: readonly number[]): Layout {
  const column = behind(layout);
  const columns = recordColumns(layout);
  // It comes behind the last of them.
  const at = 1 + columns.findLastIndex((each) => of.includes(each.column));
  return {
    ...layout,
    reshaping: {
      ...layout.reshaping,
      columns: columns.toSpliced(at, 0, { column, header }),
      joined: [...(layout.reshaping?.joined ?? []), { column, of }],
    },
  };
}

/** The first column behind all that are there. */
function behind(layout: Layout): number {
  return 1 + Math.max(...[...layout.columns, ...recordColumns(layout)].map(({ column }) => column));
}
