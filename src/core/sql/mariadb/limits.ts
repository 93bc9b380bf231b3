import type { Column, Table } from "../../schema/schema.ts";
import type { Limits } from "../limits.ts";
import { longestName, typeSql } from "./columns.ts";

/** What MariaDB's own documentation gives for its usual storage, in pages of 16 KB. */
export const limits: Limits = {
  name: "MariaDB",
  columns: 1017,
  indexes: 64,
  names: { longest: longestName, unit: "characters", measure: (name) => [...name].length },
  noWords: true,
  rows: rowLimit,
};

/** Bytes that all columns of a row have together, and those of them that stay on its page. */
const longest = { row: 65_535, page: 8_125 };

/** What a text leaves on the page that is kept beside it. */
const beside = 21;

/** What the types take whose size doesn't depend on what is in them. */
const sizes: Readonly<Record<string, number>> = {
  bigint: 8,
  boolean: 1,
  date: 3,
  time: 3,
  datetime: 5,
  text: 10,
  longtext: 12,
};

function rowLimit({ name, columns }: Table): { message: string; help: string } | undefined {
  const nulls = Math.ceil(columns.filter(({ required }) => !required).length / 8);
  const whole = nulls + sum(columns.map((column) => sizeOf(column).whole));
  if (whole > longest.row) {
    return {
      message: `a row of ${name} takes ${whole.toLocaleString("en")} bytes, and MariaDB takes ${longest.row.toLocaleString("en")}`,
      help: "give its texts shorter ranges, or make some of them `long text`",
    };
  }
  // The head of a record, and what the storage adds to each.
  const page = 5 + 13 + nulls + sum(columns.map((column) => sizeOf(column).page));
  if (page <= longest.page) return undefined;
  return {
    message: `a row of ${name} takes ${page.toLocaleString("en")} bytes on its page, and MariaDB takes ${longest.page.toLocaleString("en")}`,
    help: "let some of its texts be longer: those of 64 characters or more can be kept beside the page",
  };
}

function sum(numbers: readonly number[]): number {
  return numbers.reduce((total, number) => total + number, 0);
}

/** The bytes of a column: in all, and on the page. A text may take four bytes a character. */
function sizeOf({ type }: Column): { whole: number; page: number } {
  const sql = typeSql(type);
  const [, length] = /^varchar\((\d+)\)$/.exec(sql) ?? [];
  if (length) {
    const bytes = 4 * Number(length);
    return bytes > 255 ? { whole: bytes + 2, page: beside } : { whole: bytes + 1, page: bytes + 1 };
  }
  const [, digits, places] = /^decimal\((\d+), (\d+)\)$/.exec(sql) ?? [];
  if (digits) {
    const bytes = decimalBytes(Number(digits) - Number(places)) + decimalBytes(Number(places));
    return { whole: bytes, page: bytes };
  }
  const whole = sizes[sql] ?? 8;
  return { whole, page: sql.endsWith("text") ? beside : whole };
}

/** Nine digits take four bytes, and the rest as few as will do. */
function decimalBytes(digits: number): number {
  return 4 * Math.floor(digits / 9) + Math.ceil((digits % 9) / 2);
}
