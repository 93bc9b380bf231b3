import type { Calculation } from "../formula/calculation.ts";
import type { ValueType } from "../formula/functions.ts";
import { type ColumnOf, formulaSql, readFormulaSql } from "../formula/sql/sql.ts";
import type { DatabaseKind } from "../model/model.ts";
import { type Module, templateText } from "./module.ts";

/** Where this day and this moment are filled in, and how each database takes them. */
const moments: Readonly<Record<DatabaseKind, { today: string; now: string }>> = {
  sqlite: { today: "\0today()\0", now: "\0now()\0" },
  postgres: { today: "\0today()\0::date", now: "\0now()\0::timestamptz" },
  mariadb: {
    today: "cast(\0today()\0 as date)",
    now: "cast(\0now().slice(0, 19)\0 as datetime)",
  },
};

/** What the values of formulas are in TypeScript. */
export const computedTypes: Readonly<Record<ValueType, string>> = {
  number: "number",
  span: "number",
  text: "string",
  date: "string",
  time: "string",
  moment: "string",
  boolean: "boolean",
};

/** Where the functions that are within statements come from. */
const sources: Readonly<Record<string, string>> = {
  today: "../../kit/time.ts",
  now: "../../kit/time.ts",
  bindValue: "../../kit/database/current-dialect.ts",
};

/** What a formula is computed of: the row of a table, or values that aren't saved. */
type Computed =
  | { row: string }
  /** A column of them, as an expression; undefined where there is none. */
  | { value: (column: string) => string | undefined };

/** A formula as a template of SQL; as the application reads its value, or as a condition of a statement. */
export function statementOf(
  module: Module,
  database: DatabaseKind,
  calculation: Calculation,
  of: Computed,
  use: "to read" | "to ask",
): string {
  const context = {
    ...moments[database],
    row: "row" in of ? of.row : "",
    ...("value" in of && {
      given: (column: ColumnOf) =>
        `\0bindValue("${bindKind(column)}", ${of.value(column.column) ?? "null"})\0`,
    }),
  };
  const text = (use === "to read" ? readFormulaSql : formulaSql)(calculation, database, context);
  const template = templateText(text).replace(
    /\0((\w+)\([^\0]*)\0/g,
    (_, call: string, name: string) => {
      module.use(name, sources[name] ?? "");
      return `\${${call}}`;
    },
  );
  return `\`${template}\``;
}

/** The kinds of values that formulas are computed of, as the kit has them. */
type BindKind = "text" | "number" | "boolean" | "date" | "time" | "datetime" | "reference";

/** As what kind of value a column is given that isn't saved yet. */
export function bindKind({ type, refers }: ColumnOf): BindKind {
  if (refers) return "reference";
  if (type === "moment") return "datetime";
  return type === "span" ? "number" : type;
}
