import {
  type Expression,
  Kysely,
  MysqlAdapter,
  MysqlDialect,
  type RawBuilder,
  type SqlBool,
  sql,
} from "kysely";
import { createPool } from "mysql2";
import type { GivenKind, Refusal, WrittenKind } from "../database.ts";
import { columnsOfIndex } from "../index-names.ts";
import { wordPattern } from "../letters.ts";
import { clientSettings, session } from "./connection.ts";
import { type Moments, MomentsPlugin } from "./moments.ts";

/** Unlike others that speak its protocol, MariaDB gives back what it inserted. */
class Adapter extends MysqlAdapter {
  override get supportsReturning(): boolean {
    return true;
  }
}

class Dialect extends MysqlDialect {
  override createAdapter(): MysqlAdapter {
    return new Adapter();
  }
}

/** The typed tables of a MariaDB database, over at most ten connections. */
export function openTables<Tables>(address: string, moments?: Moments): Kysely<Tables> {
  const pool = createPool({ ...clientSettings(address), connectionLimit: 10 });
  pool.on("connection", (connection) => {
    for (const statement of session) connection.query(statement);
  });
  return new Kysely<Tables>({
    dialect: new Dialect({ pool }),
    plugins: [new MomentsPlugin(moments)],
  });
}

/** Whether a text holds a word, whatever the case and the accents of its letters. */
export function contains(text: Expression<unknown>, word: string): RawBuilder<SqlBool> {
  return sql<SqlBool>`(${text}) collate utf8mb4_bin regexp ${wordPattern(word)}`;
}

/** The same of a column. */
export function columnContains(
  column: string,
  word: string,
  _ordered: boolean,
): RawBuilder<SqlBool> {
  return contains(sql.ref(column), word);
}

/** A term of an order: what has no value comes first. */
export function inOrder(column: string, descending = false, _text = false): RawBuilder<unknown> {
  return sql`${sql.ref(column)} ${sql.raw(descending ? "desc" : "asc")}`;
}

const givenTypes: Readonly<Record<GivenKind, string>> = {
  text: "char",
  number: "decimal(38, 10)",
  boolean: "unsigned",
  date: "date",
  time: "time",
  datetime: "datetime",
  reference: "signed",
};

/** A value that isn't saved yet, within a formula; a box that nobody saw isn't ticked. */
export function given(kind: GivenKind, value: unknown): RawBuilder<unknown> {
  const missing = kind === "boolean" ? false : null;
  const plain = kind === "datetime" && value ? String(value).slice(0, 19) : (value ?? missing);
  return sql`cast(${plain} as ${sql.raw(givenTypes[kind])})`;
}

/** A value within a text. */
export function written(column: string, kind: WrittenKind): RawBuilder<string> {
  const value = sql.ref<string>(column);
  switch (kind) {
    case "number":
      return sql<string>`(${value} + 0e0)`;
    case "boolean":
      return sql<string>`if(${value}, 'yes', 'no')`;
    case "time":
      return sql<string>`date_format(${value}, '%H:%i')`;
    case "datetime":
      return sql<string>`date_format(${value}, '%Y-%m-%dT%H:%i:%sZ')`;
  }
}

/** The number of the error of a check, which the driver takes for another one. */
const brokenCheck = 4025;

/** What the data did to be refused, by the code of the error. */
const reasons: Readonly<Record<string, Refusal["reason"]>> = {
  ER_DUP_ENTRY: "unique",
  ER_NO_REFERENCED_ROW_2: "reference",
  ER_ROW_IS_REFERENCED_2: "reference",
  ER_BAD_NULL_ERROR: "check",
  ER_DATETIME_FUNCTION_OVERFLOW: "check",
  ER_DATA_TOO_LONG: "check",
  ER_WARN_DATA_OUT_OF_RANGE: "check",
};

/** What the data did to be refused; undefined for any other error. `names` are the columns that it may be about. */
export function refusal(error: unknown, names: readonly string[] = []): Refusal | undefined {
  const {
    code = "",
    errno,
    sqlMessage = "",
  } = (error ?? {}) as {
    code?: string;
    errno?: number;
    sqlMessage?: string;
  };
  const reason = errno === brokenCheck ? "check" : reasons[code];
  if (!reason) return undefined;
  const [, index = ""] = (reason === "unique" && /'([^']*)'[^']*$/.exec(sqlMessage)) || [];
  const [, check = ""] = /CONSTRAINT `(?:[^`]*`\.`)?([^`]*)` failed/.exec(sqlMessage) ?? [];
  return { reason, columns: index ? columnsOfIndex(index, names) : [], check };
}
