import { literal, quoted } from "../../../../kit/database/mariadb/literals.ts";
import { serverChecks } from "../checks.ts";
import type { ScriptPart } from "../script.ts";
import type { Syntax } from "../syntax.ts";
import { fillSql, madeName, thisMoment } from "./columns.ts";
import { converted } from "./conversions.ts";

/** The syntax of MariaDB. */
export const syntax: Syntax = {
  database: "mariadb",
  quoted,
  madeName,
  literal,
  fill: fillSql,
  now: thisMoment,
  same: (one, other) => `(${one} <=> ${other})`,
  alike: (one, other) => `(${one} <=> ${other})`,
  differs: (one, other) => `(not (binary (${one}) <=> binary (${other})))`,
  caseless: (text) => text,
  caselessColumn: (_table, alias, column) => `${alias}.${quoted(column)}`,
  ...serverChecks(literal),
  converted,
  aside: (table, query) => [
    run(`create table ${table} as select * from (${query}) as q limit 0`),
    run(`insert into ${table} ${query}`),
  ],
  number: (value) => `cast(${value} as signed)`,
  insertMissing: ["insert ignore", ""],
};

function run(sql: string): ScriptPart {
  return { kind: "run", sql };
}
