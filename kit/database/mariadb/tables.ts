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
import { wordPattern } from "../collation.ts";
import type { BindKind, ConstraintViolation, WrittenKind } from "../contract.ts";
import { columnsOfIndex } from "../index-names.ts";
import { pooled } from "../servers/pooling.ts";
import { noteReplica, readingFrom } from "../servers/replica.ts";
import { openPools } from "./pools.ts";
import { reached } from "./replication.ts";
import { type TimestampColumns, TimestampsPlugin } from "./timestamps.ts";

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

/**
 * The typed tables of a MariaDB database, over a pool of connections. Several addresses are those of the members of a
 * cluster, or of a primary and the servers that may take its place.
 */
export function openTables<Tables>(address: string, moments?: TimestampColumns): Kysely<Tables> {
  const { primary, replicas, patience, end } = openPools(address);
  const tablesOver = (pool: MysqlPool) =>
    new Kysely<Tables>({
      dialect: new Dialect({ pool }),
      plugins: [new TimestampsPlugin(moments)],
    });
  const connect = pooled(primary, patience, asCallbacks);
  const tables = tablesOver({
    getConnection: givenBy(() => connect()),
    end: (ended) => void end().then(() => ended(undefined), ended),
  });
  if (replicas.length > 0) {
    const reading = readingFrom(primary, replicas, patience);
    noteReplica<Tables>(tables, {
      tables: tablesOver({
        getConnection: givenBy(async () => asCallbacks(await reading.connect(""))),
        end: (ended) => ended(undefined),
      }),
      hasReached: async (position) => {
        const answered = await reading
          .askReplica("", reached, [position, position])
          .catch(() => undefined);
        return Number((answered?.result as { reached: unknown }[] | undefined)?.[0]?.reached) === 1;
      },
    });
  }
  return tables;
}

/** Gives out connections as the query builder asks for them. */
function givenBy(connect: () => Promise<MysqlPoolConnection>): MysqlPool["getConnection"] {
  return (take) => {
    connect().then(
      (connection) => take(null, connection),
      (error) => take(error, undefined as never),
    );
  };
}

/** A connection as the query builder takes it. */
function asCallbacks(connection: {
  query(text: string, values: readonly unknown[]): Promise<unknown>;
  release(): void;
}): MysqlPoolConnection {
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

/** The same value, of which MariaDB knows no index. */
export function unindexed(
  value: RawBuilder<unknown>,
  type: "number" | "date",
): RawBuilder<unknown> {
  return type === "date" ? sql`date(${value})` : sql`${value} + 0`;
}

/** Whether a text has another one in it, letter by letter. */
export function holdsExactly(text: RawBuilder<unknown>, part: string): RawBuilder<SqlBool> {
  return sql<SqlBool>`locate(${part}, ${exactly(text)}) > 0`;
}

/** The year and the month of a day: 202605. Texts would be compared by their letters. */
export function yearMonth(day: RawBuilder<unknown>): RawBuilder<unknown> {
  return sql`extract(year_month from ${day})`;
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
