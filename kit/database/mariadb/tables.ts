import {
  type Expression,
  Kysely,
  MysqlAdapter,
  MysqlDialect,
  type MysqlPool,
  type MysqlPoolConnection,
  type RawBuilder,
  type SqlBool,
  sql,
} from "kysely";
import { createPool, type Pool as MysqlConnections, type PoolConnection } from "mysql2";
import { wordPattern } from "../collation.ts";
import type { BindKind, ConstraintViolation, WrittenKind } from "../contract.ts";
import { columnsOfIndex } from "../index-names.ts";
import { databaseLimits, type Limits } from "../limits.ts";
import { mostConnections, type Pool, type PooledConnection, pooled } from "../servers/pooling.ts";
import { clientSettings, session } from "./connection.ts";
import { type TimestampColumns, TimestampsPlugin } from "./timestamps.ts";
import { troubleOf } from "./trouble.ts";

/** Unlike others that speak its protocol, MariaDB returns the rows that it inserted. */
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

/** The typed tables of a MariaDB database, over a pool of connections. */
export function openTables<Tables>(address: string, moments?: TimestampColumns): Kysely<Tables> {
  const limits = databaseLimits();
  const pool = createPool({
    ...clientSettings(address),
    connectTimeout: limits.wait,
    connectionLimit: mostConnections,
  });
  const own = [
    ...session,
    // Gaps between keys aren't locked, so that changes of different records don't meet.
    "set session transaction isolation level read committed",
    `set session max_statement_time = ${limits.statement / 1000}, innodb_lock_wait_timeout = ${Math.ceil(limits.wait / 1000)}`,
  ];
  pool.on("connection", (connection) => {
    connection.on("error", () => undefined);
    for (const statement of own) {
      connection.query(statement, (error) => error && connection.destroy());
    }
  });
  return new Kysely<Tables>({
    dialect: new Dialect({ pool: connections(pool, limits) }),
    plugins: [new TimestampsPlugin(moments)],
  });
}

/** The connections of a pool as the query builder takes them. */
function connections(pool: MysqlConnections, limits: Limits): MysqlPool {
  const access: Pool<PoolConnection, unknown> = {
    connect: () => connectionOf(pool, limits.wait),
    query: (connection, text, values) =>
      new Promise((resolve, reject) => {
        connection.query(text, values as unknown[], (error, result) =>
          error ? reject(error) : resolve(result),
        );
      }),
    release: (connection, useless) => (useless ? connection.destroy() : connection.release()),
    troubleOf,
  };
  const connect = pooled(access, limits.statement + 1000, asCallbacks);
  return {
    getConnection: (take) => {
      connect().then(
        (connection) => take(null, connection),
        (error) => take(error, undefined as never),
      );
    },
    end: (ended) => pool.end((error) => ended(error)),
  };
}

function asCallbacks(connection: PooledConnection<PoolConnection, unknown>): MysqlPoolConnection {
  const query = (
    text: string,
    values: readonly unknown[],
    done: (error: unknown, result?: unknown) => void,
  ) => {
    connection.query(text, values).then(
      (result) => done(null, result),
      (error) => done(error),
    );
  };
  return { query: query as never, release: () => connection.release() };
}

/** A connection of the pool, unless all of them are in use for too long. */
function connectionOf(pool: MysqlConnections, patience: number): Promise<PoolConnection> {
  return new Promise((resolve, reject) => {
    let late = false;
    const tooLate = setTimeout(() => {
      late = true;
      const error = new Error("All connections are in use.");
      reject(Object.assign(error, { code: "ER_CON_COUNT_ERROR" }));
    }, patience);
    pool.getConnection((error, connection) => {
      clearTimeout(tooLate);
      if (late) connection?.release();
      else if (error) reject(error);
      else resolve(connection);
    });
  });
}

/** Adds a row to a table unless its key is there already; the number of affected rows tells. */
export function insertUnlessThere(
  table: string,
  row: Readonly<Record<string, string>>,
): RawBuilder<unknown> {
  const columns = sql.join(Object.keys(row).map((name) => sql.ref(name)));
  return sql`insert ignore into ${sql.table(table)} (${columns}) values (${sql.join(Object.values(row))})`;
}

/** The server does its work beside this process, and stops what takes too long, in any case. */
export function inBackground<Tables>(db: Kysely<Tables>): Kysely<Tables> {
  return db;
}

/** The same database: it has no security of rows of its own. */
export function tablesOf<Tables>(db: Kysely<Tables>, _organisation: number): Kysely<Tables> {
  return db;
}

/** A text of which others are the same only where every letter is. */
export function exactly(text: RawBuilder<unknown>): RawBuilder<unknown> {
  return sql`(${text}) collate utf8mb4_nopad_bin`;
}

/** Whether a text has another one in it, letter by letter. */
export function holdsExactly(text: RawBuilder<unknown>, part: string): RawBuilder<SqlBool> {
  return sql<SqlBool>`locate(${part}, ${exactly(text)}) > 0`;
}

/** The year and the month of a day: `2026-05`. */
export function monthText(day: RawBuilder<unknown>): RawBuilder<unknown> {
  return sql`date_format(${day}, '%Y-%m')`;
}

/** That a number is one of some, however many these are. */
export function isAmong(
  number: RawBuilder<unknown>,
  numbers: readonly number[],
): RawBuilder<SqlBool> {
  return numbers.length === 0
    ? sql<SqlBool>`1 = 0`
    : sql<SqlBool>`${number} in (${sql.join([...numbers])})`;
}

/** The day of a moment by a clock that is so many seconds ahead of UTC: `2026-05-03`. */
export function dayOf(moment: RawBuilder<unknown>, seconds: number): RawBuilder<unknown> {
  return sql`date_format(${moment} + interval ${sql.lit(seconds)} second, '%Y-%m-%d')`;
}

/** Whether a text holds a word, whatever the case and the accents of its letters. */
export function contains(text: Expression<unknown>, word: string): RawBuilder<SqlBool> {
  return sql<SqlBool>`(${text}) collate utf8mb4_bin regexp ${wordPattern(word)}`;
}

/** The same for a column. */
export function columnContains(
  column: string,
  word: string,
  _ordered: boolean,
): RawBuilder<SqlBool> {
  return contains(sql.ref(column), word);
}

/** It has no index of parts of words. */
export function wordCandidates(): undefined {}

/** What a column of an order is compared by. */
export function orderValue(column: string, _text = false): RawBuilder<unknown> {
  return sql.ref(column);
}

/** That a column begins with a text, by the index of its order; undefined where the index can't tell. */
export function beginsWith(column: string, start: string): RawBuilder<SqlBool> | undefined {
  const pattern = `${start.replace(/[\\%_]/g, "\\$&")}%`;
  return sql<SqlBool>`${sql.ref(column)} like ${pattern}`;
}

/** A term of an order: rows without a value are first. */
export function orderTerm(column: string, descending = false, _text = false): RawBuilder<unknown> {
  return sql`${sql.ref(column)} ${sql.raw(descending ? "desc" : "asc")}`;
}

/** About how many rows a table has: what the server keeps for planning. */
export function aboutRows(table: string): RawBuilder<{ about: number | null }> {
  return sql<{ about: number | null }>`
    select table_rows as about from information_schema.tables
    where table_schema = database() and table_name = ${table}`;
}

/** A table has none: the database orders letters by itself. */
export function columnsBeside(): readonly string[] {
  return [];
}

const givenTypes: Readonly<Record<BindKind, string>> = {
  text: "char",
  number: "decimal(38, 10)",
  boolean: "unsigned",
  date: "date",
  time: "time",
  datetime: "datetime",
  reference: "signed",
};

/** A value that isn't saved yet, within a formula; a tick box that was not shown counts as not ticked. */
export function bindValue(kind: BindKind, value: unknown): RawBuilder<unknown> {
  const missing = kind === "boolean" ? false : null;
  const plain = kind === "datetime" && value ? String(value).slice(0, 19) : (value ?? missing);
  return sql`cast(${plain} as ${sql.raw(givenTypes[kind])})`;
}

/** A value as part of a text. */
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

/** The constraint violation behind an error code. */
const reasons: Readonly<Record<string, ConstraintViolation["reason"]>> = {
  ER_DUP_ENTRY: "unique",
  ER_NO_REFERENCED_ROW_2: "reference",
  ER_ROW_IS_REFERENCED_2: "reference",
  ER_BAD_NULL_ERROR: "check",
  ER_DATETIME_FUNCTION_OVERFLOW: "check",
  ER_DATA_TOO_LONG: "check",
  ER_WARN_DATA_OUT_OF_RANGE: "check",
};

/** The constraint violation behind an error; undefined for any other error. `names` are the columns that it may be about. */
export function constraintViolation(
  error: unknown,
  names: readonly string[] = [],
): ConstraintViolation | undefined {
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
