import { type Idiom, inTemporaryTable } from "../idiom.ts";
import { checkSql, checksOf, fillSql, literal, quoted, thisMoment } from "./columns.ts";
import { converted } from "./conversions.ts";

/** SQLite's way to say it. Texts are compared by the ASCII letters of either case. */
export const idiom: Idiom = {
  quoted,
  madeName: (name) => name,
  literal,
  fill: fillSql,
  now: thisMoment,
  same: (one, other) => `(${one} is ${other} collate nocase)`,
  differs: (one, other) => `(${one} is not ${other} collate binary)`,
  caseless: (text) => `${text} collate nocase`,
  checksOf,
  check: checkSql,
  converted,
  aside: inTemporaryTable,
  insertMissing: ["insert or ignore", ""],
};
