import type { Row as FormulaRow } from "../../../kit/formula/evaluate.ts";
import { ruleOf } from "../fields/types.ts";
import { type Entity, type Field, isComputed, isMany } from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import {
  type Addresses,
  type Blanks,
  cellText,
  folded,
  isEmpty,
  quote,
  type Row,
  type RowBatch,
} from "./cells.ts";
import { type AsideCell, ColumnConverter, type SheetRow } from "./column-converter.ts";
import type { ColumnValues } from "./column-values.ts";
import type { CostlyOption } from "./costly-options.ts";
import { aliasFields, keyField } from "./entity-keys.ts";
import { type KeyFinder, KeySet, type KnownKey } from "./keys.ts";
import { type Layout, type RowKind, RowSorter, type SeriesGroup } from "./layout.ts";
import { ParentTotals } from "./parent-totals.ts";
import type { SheetPlan } from "./plan.ts";
import { doneSplits, splitKey } from "./plan-model.ts";
import { RecordReader, recordColumns, sourceColumn, type TableRecord } from "./shapes/records.ts";
import { SplitOff } from "./split-off.ts";
import type { ValueContext } from "./values.ts";

/** What could not be taken: a cell, or a whole row. */
export interface SetAside {
  file: string;
  sheet: string;
  /** `C17`, or `row 17`. */
  cell: string;
  value: string;
  reason: string;
}

/** A record, its values as a data file has them; null for none. */
export type ConvertedRow = (string | null)[];

/** Where converted rows go. */
export interface ConversionSink {
  keep(entity: string, row: ConvertedRow): void;
  setAside(what: SetAside): void;
}

/** A rule that a row obeys or breaks, and how it is said. */
export interface RowRule {
  said: string;
  holds(row: FormulaRow): boolean;
}

/** How many rows were read, kept and set aside. */
export interface ConversionCounts {
  rows: number;
  kept: number;
  setAside: number;
  cellsSetAside: number;
}

export interface ConversionContext extends ValueContext {
  blanks: Blanks;
  entities: ReadonlyMap<string, Entity>;
  /** The keys of each entity, by which others refer to it. */
  keys: ReadonlyMap<string, KeyFinder>;
  /** Where the keys go of what is split off. */
  splitKeys: ReadonlyMap<string, KeySet>;
  /** By entity: what else its records can be referred to by. */
  aliases: ReadonlyMap<string, KeySet>;
  timezone: string;
  /** Whether a row is wanted; all are, without it. */
  holds?: (row: FormulaRow) => boolean;
  /** What gives the texts of fields that are computed of the others of a row, by their names. */
  computed?: ReadonlyMap<string, (row: FormulaRow) => string | null>;
  /** What new records need and the sheet has no column for, and the keys of the records that are there. */
  lacking?: { labels: readonly string[]; there: KeyFinder | undefined };
  /** Rules of the entity that a row can be asked by itself, of the columns in its sheet. */
  rules?: readonly RowRule[];
  /** The fields of each entity whose values are wanted, in order. */
  outputs: ReadonlyMap<string, readonly string[]>;
}

/** A sheet that is converted, as far as its plan and its cells go. */
export interface ConvertedSheet {
  plan: SheetPlan;
  layout: Layout;
  /** Its name, where it isn't the one in the plan. */
  sheet?: string | undefined;
  file: string;
  addresses: Addresses;
  /** Where the column of each field is, and which columns the plan leaves out. */
  columns: ReadonlyMap<string, number>;
  left: ReadonlySet<number>;
  /** Whether another entity is read from the same cells, so that what is around them is set aside there. */
  isSecondReading: boolean;
}

/** A split that is done, with the columns of its records. */
interface SplitWork {
  off: SplitOff;
  by: ColumnConverter;
  along: ColumnConverter[];
  entity: Entity;
  /** The sums of lines, where the rows are lines of the records. */
  totals?: { sums: ParentTotals; parents: number[]; lines: number[] };
}

/** Turns the rows of one sheet into records, by its plan; what doesn't fit is set aside, and counted. */
export class SheetConverter {
  readonly counts: ConversionCounts = { rows: 0, kept: 0, setAside: 0, cellsSetAside: 0 };
  /** The options of fields for which rows were set aside. */
  readonly costly = new Map<string, CostlyOption>();
  #source: ConvertedSheet;
  #sorter: RowSorter;
  #records: RecordReader;
  readonly #columns: ColumnConverter[];
  readonly #splits: SplitWork[];
  readonly #unique: { label: string; places: number[]; keys: KeySet }[];
  readonly #aliased: { key: number | undefined; others: number[] };
  #inside: ReadonlySet<number> = new Set();
  /** Whether there are columns between those of the table. */
  #gaps = false;
  readonly #order: (number | undefined)[];
  #unknown: readonly number[] = [];

  constructor(
    source: ConvertedSheet,
    readonly entity: Entity,
    readonly context: ConversionContext,
    readonly sink: ConversionSink,
    /** What is unique in the entity so far, by field: shared by the sheets that make it. */
    unique: Map<string, KeySet>,
  ) {
    const { plan } = source;
    this.#source = source;
    this.#sorter = new RowSorter(source.layout, new Set(plan.without));
    this.#records = new RecordReader(source.layout, context.blanks);
    const columnFor = (owner: Entity, name: string, as = name): ColumnConverter[] => {
      const field = owner.fields.find((each) => each.name === as && !isComputed(each));
      const fieldPlan = plan.fields.find((candidate) => candidate.name === name);
      return field && fieldPlan ? [new ColumnConverter(field, fieldPlan, context)] : [];
    };
    const along = new Set(doneSplits(plan).flatMap((split) => split.with));
    this.#columns = plan.fields
      .filter(({ name }) => !along.has(name))
      .flatMap(({ name }) => columnFor(entity, name));
    this.#splits = doneSplits(plan).flatMap((split): SplitWork[] => {
      const target = context.entities.get(split.entity);
      const [by] = target ? columnFor(target, split.by, splitKey(plan, split)) : [];
      if (!target || !by) return [];
      return [
        {
          off: new SplitOff(split, context.splitKeys.get(target.name)),
          by,
          along: split.with.flatMap((name) => columnFor(target, name)),
          entity: target,
        },
      ];
    });
    for (const column of this.#columns) {
      const split = this.#splits.find(({ off }) => off.plan.by === column.field.name);
      if (split) column.splitOff = split.off;
    }
    for (const split of this.#splits) if (split.off.plan.parts) this.#watchTotals(split);
    const alone = this.#columns.flatMap(({ field }) =>
      field.unique && !isMany(field) ? [[field.name]] : [],
    );
    this.#unique = [...alone, ...entity.unique].flatMap((names) => {
      const places = names.map((name) =>
        this.#columns.findIndex(({ field }) => field.name === name),
      );
      if (places.includes(-1)) return [];
      const keys = unique.get(names.join(" ")) ?? new KeySet();
      unique.set(names.join(" "), keys);
      const label = places.map((at) => this.#columns[at]?.field.label).join(" and ");
      return [{ label, places, keys }];
    });
    const place = (field: Field | undefined) =>
      this.#columns.findIndex((each) => each.field === field);
    const key = keyField(entity);
    this.#aliased = {
      key: key && place(key) >= 0 ? place(key) : undefined,
      others: aliasFields(entity)
        .map(place)
        .filter((at) => at >= 0),
    };
    this.#order = (context.outputs.get(entity.name) ?? []).map((name) => {
      const at = this.#columns.findIndex(({ field }) => field.name === name);
      return at < 0 ? undefined : at;
    });
    this.#findColumns();
  }

  /** Compares the numbers of parents with the sums of their lines. */
  #watchTotals(split: SplitWork): void {
    const numeric = (columns: readonly ColumnConverter[]) =>
      columns.flatMap(({ field }, at) => (ruleOf(field.type).value === "number" ? [at] : []));
    const parents = numeric(split.along);
    const lines = numeric(this.#columns);
    const labels = (columns: readonly ColumnConverter[], places: readonly number[]) =>
      places.map((at) => columns[at]?.field.label ?? "");
    const sums = new ParentTotals(labels(split.along, parents), labels(this.#columns, lines));
    split.totals = { sums, parents, lines };
  }

  /** Goes on with another sheet of the same plan. */
  goOn(source: ConvertedSheet): void {
    this.#source = source;
    this.#sorter = new RowSorter(source.layout, new Set(source.plan.without));
    this.#records = new RecordReader(source.layout, this.context.blanks);
    this.#findColumns();
  }

  /** Where the columns are on the sheet that is read now. */
  #findColumns(): void {
    const { layout, columns, left } = this.#source;
    const along = this.#splits.flatMap((split) => [split.by, ...split.along]);
    for (const column of [...this.#columns, ...along]) column.goOn(columns.get(column.plan.name));
    const used = [...this.#columns, ...this.#splits.flatMap((split) => split.along)];
    const said = new Set([...left, ...used.map(({ column }) => column)]);
    this.#unknown = recordColumns(layout)
      .map(({ column }) => column)
      .filter((column) => !said.has(column));
    this.#inside = new Set(layout.columns.map(({ column }) => column));
    this.#gaps = layout.columns.some(({ column }, at) => column !== at);
  }

  /** What was seen of the values of each field. */
  values(): Map<string, ColumnValues> {
    const all = [
      ...this.#columns.map((column) => [column.plan.name, column] as const),
      ...this.#splits.flatMap(({ along }) => along.map((each) => [each.plan.name, each] as const)),
    ];
    return new Map(all.map(([name, column]) => [name, column.values()]));
  }

  take({ first, rows, numbers }: RowBatch): void {
    const { layout, isSecondReading } = this.#source;
    const { firstRow, lastRow = Infinity, header } = layout;
    rows.forEach((row, at) => {
      const number = first + at;
      if (number < firstRow || number > lastRow) {
        if (isSecondReading) return;
        const titles = header && number >= header.first && number <= header.last;
        const where = titles
          ? "beside the table"
          : number > lastRow
            ? "below the table"
            : "above the table";
        this.#asideCells(row, number, where, (column) => !titles || !this.#inside.has(column));
        return;
      }
      const kind = this.#sorter.kindOf(row, numbers, at);
      if (kind === "blank") return;
      if (kind === "data") {
        for (const record of this.#records.recordsOf(row)) {
          this.counts.rows++;
          // Records that are made of a row have other cells than it.
          this.#takeData(record, number, {
            numbers: record.cells === row ? numbers : undefined,
            at,
          });
        }
      }
      if (isSecondReading) return;
      if (kind !== "data" && kind !== "beside") {
        this.counts.rows++;
        this.#asideRow(row, number, reasons[kind]);
      }
      const beside = row.length > this.#inside.size || this.#gaps;
      if (beside && (kind === "data" || kind === "beside")) {
        this.#asideCells(row, number, "beside the table", (column) => !this.#inside.has(column));
      }
    });
  }

  #takeData(
    { cells: row, group }: TableRecord,
    number: number,
    place: Pick<SheetRow, "numbers" | "at">,
  ): void {
    const aside: AsideCell[] = [];
    const sheetRow: SheetRow = { cells: row, ...place };
    const values = this.#columns.map((column) =>
      column.plan.formula === undefined ? column.valueOf(sheetRow, aside) : null,
    );
    this.#compute(values, number);
    if (!this.#isWanted(values)) {
      this.#asideRow(row, number, "left out by `where` in the plan");
      return;
    }
    const missing = this.#columns.findIndex(
      ({ field }, at) => field.required && values[at] === null,
    );
    if (missing >= 0) {
      const lacks = this.#columns[missing];
      const cell = aside.find(({ column }) => column === lacks?.column);
      const why = cell ? complaint(cell) : "there is no value";
      this.#noteCost(lacks?.plan.name, "required", number);
      this.#asideRow(row, number, `${lacks?.field.label} is required: ${why}`);
      return;
    }
    const lacking = this.#lacking(values);
    if (lacking) {
      this.#asideRow(row, number, lacking);
      return;
    }
    const broken = this.#broken(values);
    if (broken) {
      this.#asideRow(row, number, `it breaks a rule: ${broken.said}`);
      return;
    }
    const repeated = this.#repeats(sheetRow, values, number);
    if (repeated) {
      this.#asideRow(row, number, repeated);
      return;
    }
    this.#keepAliases(values);
    for (const split of this.#splits) this.#takeSplit(split, sheetRow, number, { values, aside });
    this.counts.kept++;
    this.sink.keep(
      this.entity.name,
      this.#order.map((at) => (at === undefined ? null : (values[at] ?? null))),
    );
    for (const { column, text, reason } of aside)
      this.#aside(this.#addressOf(column, number, group), text, reason);
    this.#asideUnknown(row, number, group);
  }

  /** Fills in what the plan computes of the other fields. */
  #compute(values: (string | null)[], number: number): void {
    const { computed } = this.context;
    if (!computed) return;
    for (const [at, column] of this.#columns.entries()) {
      const text = computed.get(column.plan.name)?.(this.#stored(values)) ?? null;
      if (column.plan.formula === undefined || text === null) continue;
      const read = column.computed(text);
      if ("text" in read) {
        values[at] = read.text === "" ? null : read.text;
      } else this.#aside(this.#rowName(number), text, `${column.field.label}: ${read.reason}`);
    }
  }

  #isWanted(values: readonly (string | null)[]): boolean {
    const { holds } = this.context;
    return !holds || holds(this.#stored(values));
  }

  /** Why a row can't become a new record; undefined where it can, or where its record is there. */
  #lacking(values: readonly (string | null)[]): string | undefined {
    const { lacking } = this.context;
    if (!lacking) return undefined;
    const key = this.#aliased.key === undefined ? null : (values[this.#aliased.key] ?? null);
    if (key !== null && lacking.there?.find(key)) return undefined;
    return `a new record needs ${lacking.labels.join(" and ")}, for which the sheet has no column`;
  }

  #broken(values: readonly (string | null)[]): RowRule | undefined {
    const { rules = [] } = this.context;
    if (rules.length === 0) return undefined;
    const row = this.#stored(values);
    return rules.find((rule) => !rule.holds(row));
  }

  /** The values as the database has them, by their columns. */
  #stored(values: readonly (string | null)[]): FormulaRow {
    const { timezone } = this.context;
    const row = this.#columns.map(({ field }, at): [string, string | number | boolean | null] => {
      const text = values[at] ?? null;
      const stored = ruleOf(field.type).storage;
      return [columnOf(field), text === null || !stored ? text : stored.value(text, timezone)];
    });
    return Object.fromEntries(row);
  }

  /** Cells of columns that the plan says nothing of. */
  #asideUnknown(row: Row, number: number, group: SeriesGroup | undefined): void {
    for (const column of this.#unknown) {
      const cell = row[column];
      if (isEmpty(cell)) continue;
      const reason = "the plan says nothing of this column";
      this.#aside(this.#addressOf(column, number, group), cellText(cell ?? null), reason);
    }
  }

  /** The address of a record's cell in its sheet; the row, where no single cell says it. */
  #addressOf(column: number, row: number, group?: SeriesGroup): string {
    const { layout, addresses } = this.#source;
    const source = sourceColumn(layout, column, group);
    return source === undefined ? addresses.row(row) : addresses.cell(source, row);
  }

  #noteCost(field: string | undefined, option: CostlyOption["option"], row: number): void {
    if (field === undefined) return;
    const key = `${field} ${option}`;
    const known = this.costly.get(key);
    if (known) known.rows++;
    else this.costly.set(key, { entity: this.#source.plan.entity, field, option, row, rows: 1 });
  }

  /** Why the row can't be taken beside those before it. */
  #repeats(row: SheetRow, values: readonly (string | null)[], number: number): string | undefined {
    if (this.#unique.length === 0) return undefined;
    const content = this.#sumOf(row);
    const found = this.#unique.map(({ places }) => {
      const parts = places.map((at) => values[at] ?? null);
      return parts.includes(null) ? undefined : parts.join("\u001f");
    });
    for (const [at, unique] of this.#unique.entries()) {
      const key = found[at];
      // One key is looked up and added at once; of several, none is added if one of them repeats.
      const known =
        key === undefined
          ? undefined
          : found.length === 1
            ? unique.keys.add(key, number, content)
            : unique.keys.find(key);
      if (known) return this.#repeated(unique, key ?? "", known, { number, content });
    }
    if (found.length === 1) return undefined;
    for (const [at, { keys }] of this.#unique.entries()) {
      const key = found[at];
      if (key !== undefined) keys.add(key, number, content);
    }
    return undefined;
  }

  #repeated(
    { label, places }: { label: string; places: number[] },
    key: string,
    known: KnownKey,
    { number, content }: { number: number; content: number },
  ): string {
    if (known.content === content) return `the same as ${this.#rowName(known.row)}`;
    const names = places.map((place) => this.#columns[place]?.plan.name);
    this.#noteCost(names.join(" "), names.length > 1 ? "key" : "unique", number);
    const text = quote(key.replaceAll("\u001f", ", "));
    return `${label} ${text} is already in ${this.#rowName(known.row)}`;
  }

  /** A checksum of what a row says in the columns of the table. */
  #sumOf(row: SheetRow): number {
    let sum = 0;
    for (const column of this.#columns) sum = (Math.imul(sum, 31) + column.sumOf(row)) | 0;
    return sum;
  }

  #keepAliases(values: readonly (string | null)[]): void {
    const aliases = this.context.aliases.get(this.entity.name);
    const key = this.#aliased.key === undefined ? null : (values[this.#aliased.key] ?? null);
    if (!aliases || key === null) return;
    for (const at of this.#aliased.others) {
      const value = values[at];
      if (typeof value === "string") aliases.addAlias(value, key);
    }
  }

  /** Takes up what a row says of the record that it splits off. */
  #takeSplit(
    { off, by, along, totals }: SplitWork,
    row: SheetRow,
    number: number,
    {
      values: line,
      aside,
    }: {
      values: readonly (string | null)[];
      aside: AsideCell[];
    },
  ): void {
    const name = by.valueOf(row, []);
    if (name === null) return;
    const values = along.map((each) => each.valueOf(row, aside));
    if (totals) {
      const numbers = (of: readonly (string | null)[], places: readonly number[]) =>
        places.map((at) => ((of[at] ?? null) === null ? null : Number(of[at])));
      const { sums, parents, lines } = totals;
      sums.take(folded(name), name, numbers(values, parents), numbers(line, lines));
    }
    for (const { at, reason } of off.take(name, values, number, (of) => this.#rowName(of))) {
      const column = along[at]?.column ?? -1;
      aside.push({ column, text: cellText(row.cells[column] ?? null), reason });
    }
  }

  /** What was found out about the sums of lines. */
  totals(): string[] {
    return this.#splits.flatMap(({ totals }) => totals?.sums.told() ?? []);
  }

  /** Hands over the records that were split off. */
  finish(): void {
    for (const { entity, by, along, off } of this.#splits) {
      const order = (this.context.outputs.get(entity.name) ?? []).map((name) =>
        name === by.field.name ? undefined : along.findIndex(({ field }) => field.name === name),
      );
      for (const { text, values } of off.records()) {
        this.sink.keep(
          entity.name,
          order.map((at) => (at === undefined ? text : (values[at] ?? null))),
        );
      }
    }
  }

  #asideRow(row: Row, number: number, reason: string): void {
    this.counts.setAside++;
    const cells = row.map((cell) => cellText(cell));
    const cell = this.#rowName(number);
    this.sink.setAside({ ...this.#place, cell, value: csvLine(cells), reason });
  }

  #asideCells(row: Row, number: number, reason: string, takes: (column: number) => boolean): void {
    row.forEach((cell, column) => {
      if (!isEmpty(cell) && takes(column))
        this.#aside(this.#source.addresses.cell(column, number), cellText(cell), reason);
    });
  }

  #aside(cell: string, value: string, reason: string): void {
    this.counts.cellsSetAside++;
    this.sink.setAside({ ...this.#place, cell, value, reason });
  }

  #rowName(row: number): string {
    return this.#source.addresses.row(row);
  }

  get #place() {
    const { file, sheet = "" } = this.#source;
    return { file, sheet };
  }
}

const reasons: Readonly<Record<Exclude<RowKind, "data" | "blank" | "beside">, string>> = {
  total: "a row of totals",
  note: "a note below the table",
  "header again": "the header again",
};

/** What is wrong with a cell, as a sentence. */
function complaint({ text, reason }: { text: string; reason: string }): string {
  return reason.startsWith("there is ") ? reason : `${quote(text)} is ${reason}`;
}

function csvLine(cells: readonly string[]): string {
  const last = cells.findLastIndex((cell) => cell !== "");
  return cells
    .slice(0, last + 1)
    .map((cell) => (/[",\n\r]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell))
    .join(",");
}
