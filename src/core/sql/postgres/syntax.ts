import { literal, quoted } from "../../../../kit/database/postgres/literals.ts";
import { serverChecks } from "../checks.ts";
import { inTemporaryTable, type Syntax } from "../syntax.ts";
import { fillSql, madeName, thisMoment } from "./columns.ts";
import { converted } from "./conversions.ts";

/** The syntax of PostgreSQL. */
export const syntax: Syntax = {
  database: "postgres",
  quoted,
  madeName,
  literal,
  fill: fillSql,
  now: thisMoment,
  same: (one, other) => `(${one} is not distinct from ${other})`,
  alike: (one, other) => `(${one} is not distinct from ${other})`,
  differs: (one, other) =>
    `((${one})::text collate "C" is distinct from (${other})::text collate "C")`,
  caseless: (text) => text,
  caselessColumn: (_table, alias, column) => `${alias}.${quoted(column)}`,
  ...serverChecks(literal),
  converted,
  number: (value) => `${value}::bigint`,
  aside: inTemporaryTable,
  insertMissing: ["insert", " on conflict do nothing"],
};
