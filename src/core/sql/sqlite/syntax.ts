import { literal, quoted } from "../../../../kit/database/sqlite/literals.ts";
import { folded, orderTerm } from "../../../../kit/database/sqlite/text-order.ts";
import { inTemporaryTable, type Syntax } from "../syntax.ts";
import { checkSql, checksOf, fillSql, thisMoment } from "./columns.ts";
import { converted } from "./conversions.ts";
import { isOrdered } from "./ordering.ts";

/** The syntax of SQLite. Texts are compared by columns beside them; see ./ordering.ts. */
export const syntax: Syntax = {
  database: "sqlite",
  quoted,
  madeName: (name) => name,
  literal,
  fill: fillSql,
  now: thisMoment,
  same: (one, other) => `(${one} is ${other} collate nocase)`,
  differs: (one, other) => `(${one} is not ${other} collate binary)`,
  alike: (one, other) => `(${folded(one)} is ${folded(other)})`,
  caseless: folded,
  caselessColumn: (table, alias, column) => {
    const found = table?.columns.find(({ name }) => name === column);
    return found && isOrdered(found)
      ? orderTerm(column, alias)
      : folded(`${alias}.${quoted(column)}`);
  },
  checksOf,
  check: checkSql,
  converted,
  number: (value) => value,
  aside: inTemporaryTable,
  insertMissing: ["insert or ignore", ""],
};
