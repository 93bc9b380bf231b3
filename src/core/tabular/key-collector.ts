import type { Field } from "../model/model.ts";
import type { Row, RowBatch } from "./cells.ts";
import type { ConversionContext, ConvertedSheet } from "./conversion.ts";
import type { KeySet } from "./keys.ts";
import { type Layout, RowSorter } from "./layout.ts";
import { RecordReader } from "./shapes/records.ts";
import { type ValueContext, type ValueReader, valueReader } from "./values.ts";

/** Finds the keys in a sheet's rows, for references from rows that come before them. */
export class KeyCollector {
  readonly #layout: Layout;
  readonly #sorter: RowSorter;
  readonly #records: RecordReader;
  readonly #columns: { column: number; read: ValueReader }[];

  constructor(
    { plan, layout, columns }: Pick<ConvertedSheet, "plan" | "layout" | "columns">,
    /** The key, and other fields by which its records can be found. */
    fields: readonly Field[],
    readonly context: ValueContext & Pick<ConversionContext, "blanks">,
    readonly keys: KeySet,
  ) {
    this.#layout = layout;
    this.#records = new RecordReader(layout, context.blanks);
    this.#sorter = new RowSorter(layout, new Set(plan.without));
    this.#columns = fields.flatMap((field) => {
      const fieldPlan = plan.fields.find(({ name }) => name === field.name);
      const column = columns.get(field.name);
      return fieldPlan && column !== undefined
        ? [{ column, read: valueReader(field, fieldPlan, context) }]
        : [];
    });
  }

  take({ first, rows, numbers }: RowBatch): void {
    rows.forEach((row, at) => {
      const number = first + at;
      if (number < this.#layout.firstRow || number > (this.#layout.lastRow ?? Infinity)) return;
      if (this.#sorter.kindOf(row, numbers, at) !== "data") return;
      for (const { cells } of this.#records.recordsOf(row)) {
        this.#takeData(cells, number);
      }
    });
  }

  #takeData(row: Row, number: number): void {
    const [key, ...others] = this.#columns.map(({ column, read }) => {
      const cell = row[column] ?? null;
      const value = cell === null ? undefined : read(cell);
      return value && "text" in value ? value.text : "";
    });
    if (!key) return;
    this.keys.add(key, number, 0);
    for (const other of others) if (other) this.keys.addAlias(other, key);
  }
}
