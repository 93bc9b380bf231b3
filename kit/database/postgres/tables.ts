import {
  type Expression,
  Kysely,
  PostgresDialect,
  type PostgresPool,
  type RawBuilder,
  type SqlBool,
  sql,
} from "kysely";
import type { QueryResult } from "pg";
import { wordPattern } from "../collation.ts";
import type { BindKind, ConstraintViolation, WrittenKind } from "../contract.ts";
import { pooled } from "../servers/pooling.ts";
import { noteReplica, readingFrom } from "../servers/replica.ts";
import { openPools } from "./pools.ts";
import { reached } from "./replication.ts";

/**
 * The typed tables of a PostgreSQL database, over a pool of connections. Several addresses are those of a primary and the
 * servers that may take its place.
 */
export function openTables<Tables>(address: string): Kysely<Tables> {
  const { primary, replicas, patience, end } = openPools(address);
  const replica = replicas.length > 0 ? readingFrom(primary, replicas, patience) : undefined;
  const connect = pooled(primary, patience, asClient);
  const tablesOver = (pool: PostgresPool) =>
    new Kysely<Tables>({ dialect: new PostgresDialect({ pool }) });
  const tablesFor = (whom: string) => {
    const made = tablesOver({ connect: () => connect(whom), end });
    apart.set(made, tablesFor as (whom: string) => Kysely<unknown>);
    if (!replica) return made;
    const tables = tablesOver({
      connect: async () => asClient(await replica.connect(whom)),
      end: async () => undefined,
    });
    apart.set(tables, tablesFor as (whom: string) => Kysely<unknown>);
    noteReplica<Tables>(made, {
      tables,
      hasReached: async (position) => {
        const answered = await replica.askReplica("", reached, [position]).catch(() => undefined);
        return answered?.result.rows[0]?.reached === true;
      },
    });
    return made;
  };
  return tablesFor("");
}

/** A connection as the query builder takes it. */
function asClient(connection: {
  query(text: string, values: readonly unknown[]): Promise<QueryResult>;
  release(): void;
}) {
  return {
    query: ((text: string, values: readonly unknown[]) => connection.query(text, values)) as never,
    release: () => connection.release(),
  };
}

/** How the tables of a database are opened once more, for one organisation. */
const apart = new WeakMap<object, (whom: string) => Kysely<unknown>>();

/** The server does its work beside this process, and stops what takes too long, in any case. */
export function inBackground<Tables>(db: Kysely<Tables>): Kysely<Tables> {
  return db;
}

/**
 * The same database, of which the server shows only what belongs to an organisation (row-level security): whatever a
 * statement forgets. 0 is an organisation that has nothing.
 */
export function tablesOf<Tables>(db: Kysely<Tables>, organisation: number): Kysely<Tables> {
  const known = ofOrganisations.get(db) ?? new Map<number, Kysely<unknown>>();
  ofOrganisations.set(db, known);
  const found = known.get(organisation) ?? apart.get(db)?.(String(organisation || -1));
  if (!found) return db;
  if (known.size >= mostKnown) known.clear();
  known.set(organisation, found);
  return found as Kysely<Tables>;
}

const ofOrganisations = new WeakMap<object, Map<number, Kysely<unknown>>>();
const mostKnown = 1000;

/** Adds a row to a table unless its key is there already; the number of affected rows tells. */
export function insertUnlessThere(
  table: string,
  row: Readonly<Record<string, string>>,
): RawBuilder<unknown> {
  const columns = sql.join(Object.keys(row).map((name) => sql.ref(name)));
  return sql`insert into ${sql.table(table)} (${columns}) values (${sql.join(Object.values(row))}) on conflict do nothing`;
}

/** A text of which others are the same only where every letter is. */
export function exactly(text: RawBuilder<unknown>): RawBuilder<unknown> {
  return sql`(${text}) collate "C"`;
}

/** The same: PostgreSQL knows by itself when an index is of no use. */
export function unindexed(value: RawBuilder<unknown>): RawBuilder<unknown> {
  return value;
}

/** Whether a text has another one in it, letter by letter. */
export function holdsExactly(text: RawBuilder<unknown>, part: string): RawBuilder<SqlBool> {
  return sql<SqlBool>`strpos(${exactly(text)}, ${part}) > 0`;
}

/** The year and the month of a day: `2026-05`. */
export function yearMonth(day: RawBuilder<unknown>): RawBuilder<unknown> {
  return sql`to_char(${day}, 'YYYY-MM')`;
}

/** That a number is one of some, however many these are. */
export function isAmong(
  number: RawBuilder<unknown>,
  numbers: readonly number[],
): RawBuilder<SqlBool> {
  return sql<SqlBool>`${number} = any(${[...numbers]}::bigint[])`;
}

/** The day of a moment by a clock that is so many seconds ahead of UTC: `2026-05-03`. */
export function dayOf(moment: RawBuilder<unknown>, seconds: number): RawBuilder<unknown> {
  return sql`to_char((${moment} at time zone 'UTC') + make_interval(secs => ${sql.lit(seconds)}), 'YYYY-MM-DD')`;
}

/** Whether a text holds a word, whatever the case and the accents of its letters. */
export function contains(text: Expression<unknown>, word: string): RawBuilder<SqlBool> {
  // Patterns refuse the collation of texts.
  return sql<SqlBool>`(${text}) collate "C" ~ ${wordPattern(word)}`;
}

/** The same for a column. */
export function columnContains(
  column: string,
  word: string,
  _ordered: boolean,
): RawBuilder<SqlBool> {
  return contains(sql.ref(column), word);
}

/** What gives the records of a table that hold a word in some columns, by the index of three letters in a row of these. */
export function wordCandidates(
  table: string,
  columns: readonly string[],
  word: string,
): RawBuilder<{ id: number }> | undefined {
  // The index knows of nothing but letters and digits.
  if (!/[\p{L}\p{N}]{3}/u.test(word)) return undefined;
  const places = columns.map((column) => contains(sql.ref(column), word));
  return sql`select id from ${sql.table(table)} where ${sql.join(places, sql` or `)}`;
}

/** What a column of an order is compared by. */
export function orderValue(column: string, _text = false): RawBuilder<unknown> {
  return sql.ref(column);
}

/** That a column begins with a text, by the index of its order; undefined where the index can't tell. */
export function beginsWith(column: string, start: string): RawBuilder<SqlBool> | undefined {
  const value = sql.ref(column);
  // Behind every letter, in the order of languages.
  return sql<SqlBool>`${value} >= ${start} and ${value} < ${`${start}\uffff`}`;
}

/** A term of an order: rows without a value are first, as in the indexes. */
export function orderTerm(column: string, descending = false, _text = false): RawBuilder<unknown> {
  return sql`${sql.ref(column)} ${sql.raw(descending ? "desc nulls last" : "asc nulls first")}`;
}

/** About how many rows a table has: what the server keeps for planning. */
export function aboutRows(table: string): RawBuilder<{ about: number | null }> {
  return sql<{ about: number | null }>`
    select reltuples as about from pg_class where oid = to_regclass(${`"${table.replaceAll('"', '""')}"`})`;
}

/** A table has none: the database orders letters by itself. */
export function columnsBeside(): readonly string[] {
  return [];
}

const givenTypes: Readonly<Record<BindKind, string>> = {
  text: "text",
  number: "numeric",
  boolean: "boolean",
  date: "date",
  time: "time",
  datetime: "timestamptz",
  reference: "bigint",
};

/** A value that isn't saved yet, within a formula; a tick box that was not shown counts as not ticked. */
export function bindValue(kind: BindKind, value: unknown): RawBuilder<unknown> {
  return sql`cast(${value ?? (kind === "boolean" ? false : null)} as ${sql.raw(givenTypes[kind])})`;
}

/** A value as part of a text. */
export function written(column: string, kind: WrittenKind): RawBuilder<string> {
  const value = sql.ref<string>(column);
  switch (kind) {
    case "number":
      return sql<string>`trim_scale(${value})`;
    case "boolean":
      return sql<string>`case when ${value} then 'yes' else 'no' end`;
    case "time":
      return sql<string>`to_char(${value}, 'HH24:MI')`;
    case "datetime":
      return sql<string>`to_char(${value} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`;
  }
}

/** The constraint violation behind an error code. */
const reasons: Readonly<Record<string, ConstraintViolation["reason"]>> = {
  "23505": "unique",
  // The unique index of a long text.
  "23P01": "unique",
  "23503": "reference",
  "23001": "reference",
  "23514": "check",
  "23502": "check",
  "22001": "check",
  "22003": "check",
};

/** The constraint violation behind an error; undefined for any other error. */
export function constraintViolation(
  error: unknown,
  _names?: readonly string[],
): ConstraintViolation | undefined {
  const {
    code = "",
    detail = "",
    constraint,
  } = (error ?? {}) as {
    code?: string;
    detail?: string;
    constraint?: string;
  };
  const reason = reasons[code];
  if (!reason) return undefined;
  // Whatever the language of the server, it says `… (code, town)=(B-07, Alderbrook) …`.
  const [, named = ""] = (reason === "unique" && /\((.*?)\)=\(/.exec(detail)) || [];
  const columns = [...named.matchAll(/"((?:[^"]|"")*)"|[^\s,]+/g)].map(([whole, quoted]) =>
    quoted === undefined ? whole : quoted.replaceAll('""', '"'),
  );
  return { reason, columns, ...(constraint !== undefined && { check: constraint }) };
}
