import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { wordCandidates } from "../../database/current-dialect.ts";
import type { Entity } from "../../entity/entity.ts";

/**
 * The most records that are named to the database. Where more may hold a word, going through the rows in their order soon
 * finds a page of them.
 */
const mostNamed = 1000;

/**
 * The condition that a record is one of those few that may hold one of some words, found by the index of the words of some
 * columns; `elsewhere` are the other places of the table in which a word is looked for. Undefined where the index can't help,
 * because all words are short or frequent.
 */
export async function fewRecords(
  scope: Scope,
  entity: Entity,
  words: readonly string[],
  columns: readonly string[],
  elsewhere: (word: string) => readonly RawBuilder<SqlBool>[],
): Promise<RawBuilder<SqlBool> | undefined> {
  if (columns.length === 0) return undefined;
  const key = JSON.stringify([entity.table, words, columns]);
  const known = found.get(scope) ?? new Map<string, Promise<number[] | undefined>>();
  found.set(scope, known);
  const asked = known.get(key) ?? find(scope, entity, words, columns, elsewhere);
  known.set(key, asked);
  const ids = await asked;
  if (!ids) return undefined;
  if (ids.length === 0) return sql<SqlBool>`1 = 0`;
  return sql<SqlBool>`${sql.ref(`${entity.table}.id`)} in (${sql.join(ids.map((id) => sql.lit(id)))})`;
}

/** What was found for a request: its page asks for the same rows several times. */
const found = new WeakMap<Scope, Map<string, Promise<number[] | undefined>>>();

async function find(
  scope: Scope,
  { table }: Entity,
  words: readonly string[],
  columns: readonly string[],
  elsewhere: (word: string) => readonly RawBuilder<SqlBool>[],
): Promise<number[] | undefined> {
  // The longest is probably the rarest.
  for (const word of [...words].sort((one, other) => other.length - one.length)) {
    const candidates = wordCandidates(table, columns, word);
    if (!candidates) continue;
    const places = elsewhere(word).map(
      (holds) =>
        sql<{
          id: number;
        }>`select ${sql.ref(`${table}.id`)} from ${sql.table(table)} where ${holds}`,
    );
    const { rows } = await sql<{ id: number }>`
      select id from (${sql.join([candidates, ...places], sql` union all `)}) as candidates
      limit ${sql.lit(mostNamed + 1)}`.execute(scope.db);
    if (rows.length <= mostNamed) return [...new Set(rows.map(({ id }) => Number(id)))];
  }
  return undefined;
}
