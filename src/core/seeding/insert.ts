import { momentsIn } from "../formula/sql.ts";
import type { DatabaseKind } from "../model/model.ts";
import type { Table } from "../schema/schema.ts";
import type { Dialect } from "../sql/dialect.ts";
import type { Value } from "./value.ts";

/** Writes rows as statements of a database that insert them. */
export class InsertWriter {
  readonly #into: string;
  readonly #moments: ReadonlySet<string>;

  constructor(
    readonly dialect: Dialect,
    table: Table,
    readonly columns: readonly string[],
  ) {
    const names = columns.map(dialect.quoted).join(", ");
    this.#into = `insert into ${dialect.quoted(table.name)} (${names}) values`;
    this.#moments = new Set(
      table.columns.filter(({ type }) => type.kind === "datetime").map(({ name }) => name),
    );
  }

  /** A statement for some rows. */
  statement(rows: readonly Readonly<Record<string, Value>>[]): string {
    const lines = rows.map(
      (row) => `(${this.columns.map((name) => this.#literal(name, row[name] ?? null)).join(", ")})`,
    );
    return `${this.#into}\n  ${lines.join(",\n  ")};\n`;
  }

  #literal(column: string, value: Value): string {
    if (value === null) return "null";
    if (typeof value === "string" && this.#moments.has(column)) {
      return momentsIn(this.dialect.name as DatabaseKind, { today: "", now: value }).now;
    }
    return this.dialect.literal(value);
  }
}
