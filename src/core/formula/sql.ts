import { mariadbFormulas } from "../../../kit/database/mariadb/formulas.ts";
import { postgresFormulas } from "../../../kit/database/postgres/formulas.ts";
import { sqliteFormulas } from "../../../kit/database/sqlite/formulas.ts";
import type { Calculation } from "../../../kit/formula/calculation.ts";
import * as kit from "../../../kit/formula/sql.ts";
import type { FormulaSyntax } from "../../../kit/formula/syntax.ts";
import type { DatabaseKind } from "../model/model.ts";

const syntaxes: Readonly<Record<DatabaseKind, FormulaSyntax>> = {
  sqlite: sqliteFormulas,
  postgres: postgresFormulas,
  mariadb: mariadbFormulas,
};

/** A formula as an expression of a kind of database; conditions are never null in it. */
export function formulaSql(
  calculation: Calculation,
  database: DatabaseKind,
  context: kit.FormulaContext,
): string {
  return kit.formulaSql(calculation, syntaxes[database], context);
}

/** The same, as the application reads its value. */
export function readFormulaSql(
  calculation: Calculation,
  database: DatabaseKind,
  context: kit.FormulaContext,
): string {
  return kit.readFormulaSql(calculation, syntaxes[database], context);
}

/** This day and this moment in UTC, such as `2026-05-03T07:00:00Z`, as literals of a database. */
export function momentsIn(
  database: DatabaseKind,
  { today, now }: { today: string; now: string },
): Pick<kit.FormulaContext, "today" | "now"> {
  const { constant } = syntaxes[database];
  return { today: constant(today, "date"), now: constant(now, "moment") };
}

/** Both as parameters with these names. */
export function momentParameters(
  database: DatabaseKind,
  moments: { today: string; now: string },
): Pick<kit.FormulaContext, "today" | "now"> {
  return kit.momentParameters(syntaxes[database], moments);
}

/** A name as a database quotes it. */
export function nameIn(database: DatabaseKind, name: string): string {
  return syntaxes[database].quoted(name);
}
