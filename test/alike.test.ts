import { join } from "node:path";
import fc from "fast-check";
import { type Expression, type Kysely, type RawBuilder, type SqlBool, sql } from "kysely";
import { describe, expect, it } from "vitest";
import type { ConstraintViolation } from "../kit/database/contract.ts";
import * as onMariadb from "../kit/database/mariadb/tables.ts";
import * as onPostgres from "../kit/database/postgres/tables.ts";
import { folded, orderOf } from "../kit/database/sqlite/letters.ts";
import * as onSqlite from "../kit/database/sqlite/tables.ts";
import { folded as foldedInScripts } from "../kit/database/sqlite/text-order.ts";
import { readModel } from "../src/core/model/read.ts";
import { schemaOf } from "../src/core/schema/from-model.ts";
import type { Engine } from "../src/io/engines/engine.ts";
import { openSqlite } from "../src/io/engines/sqlite/engine.ts";
import { temporaryFolder } from "./support/program.ts";
import {
  administrator,
  answers,
  databaseOfOnesOwn,
  mariadb,
  postgres,
  type TestServer,
} from "./support/servers.ts";

/** How often a property is tried; RUNS sets more. */
const runs = Number(process.env.RUNS ?? 25);

const there = (await answers(postgres)) && (await answers(mariadb));

const { model } = readModel(
  "levadura: 1\nentities:\n  Place:\n    fields:\n      name: text, unique\n      words: text\n      weight: decimal, places 4\n      paid: money\n      since: date\n      sunny: boolean\n    sort: words\n",
);
const schema = schemaOf(model ?? expect.fail("a model with errors"));

/** What the kit asks of a kind of database. */
interface Kind {
  contains(text: Expression<unknown>, word: string): RawBuilder<SqlBool>;
  columnContains(column: string, word: string, ordered: boolean): RawBuilder<SqlBool>;
  orderTerm(column: string, descending?: boolean, text?: boolean): RawBuilder<unknown>;
  constraintViolation(error: unknown, names?: readonly string[]): ConstraintViolation | undefined;
}

interface Tables {
  place: {
    id: number;
    name: string | null;
    words: string | null;
    weight: number | null;
    paid: number | null;
    since: string | null;
    sunny: boolean;
    created_at: string;
    updated_at: string;
  };
}

interface Database extends Kind {
  db: Kysely<Tables>;
}

async function makeTables(engine: Engine): Promise<void> {
  const steps = schema.tables.map((table) => ({ kind: "add table" as const, table }));
  await engine.migrations.begin();
  for (const { parts } of engine.dialect.sections(steps, { tables: [] })) {
    for (const part of parts) if (part.kind === "run") await engine.migrations.run(part.sql);
  }
  await engine.migrations.commit();
  await engine.close();
}

async function onServer(server: TestServer): Promise<string> {
  const { name, url } = databaseOfOnesOwn(server);
  await administrator(server, `create database ${name}`);
  await makeTables(await server.open(new URL(url)));
  return url;
}

async function three(): Promise<Database[]> {
  const file = join(temporaryFolder(), "records.db");
  await makeTables(openSqlite(file));
  return [
    { ...onSqlite, db: onSqlite.openTables<Tables>(`sqlite:${file}`) },
    { ...onPostgres, db: onPostgres.openTables<Tables>(await onServer(postgres)) },
    { ...onMariadb, db: onMariadb.openTables<Tables>(await onServer(mariadb)) },
  ];
}

const stamp = { created_at: "2026-01-01T00:00:00Z", updated_at: "2026-01-01T00:00:00Z" };
const empty = { name: null, words: null, weight: null, paid: null, since: null, sunny: false };

/** Empties the tables and fills them; what is refused counts as such. */
async function fill(
  { db, constraintViolation }: Database,
  rows: readonly Partial<Tables["place"]>[],
): Promise<(string | number)[]> {
  await db.deleteFrom("place").execute();
  const results: (string | number)[] = [];
  for (const [at, row] of rows.entries()) {
    try {
      await db
        .insertInto("place")
        .values({ ...empty, ...stamp, ...row, id: at + 1 })
        .execute();
      results.push(at + 1);
    } catch (error) {
      const { reason, columns } = constraintViolation(error, ["name", "words"]) ?? {};
      results.push(`${reason}: ${columns}`);
    }
  }
  return results;
}

async function sameOnAll<Result>(
  databases: readonly Database[],
  ask: (database: Database) => Promise<Result>,
): Promise<void> {
  const [first, ...others] = await Promise.all(databases.map(ask));
  for (const other of others) expect(other).toEqual(first);
}

const idsOf = async (query: { execute(): Promise<{ id: number }[]> }) =>
  (await query.execute()).map(({ id }) => id);

const anyLetters = [..."abAB eéèEÉ ñÑ üÜ çß øØ æÆ ŁłőŐ αάΑ жЖ 0 1 -.%_[]*?^\\'\"漢🐝"];
const orderedLetters = [..."aábAÁàâäÄ eéEÉ nñÑŋ uüÜ oøØŒœ æÆae ßs łđ ίαΑσς жЖйё z漢 019 -ºþ"];
const text = (letters: readonly string[]) =>
  fc.array(fc.constantFrom(...letters), { maxLength: 8 }).map((found) => found.join(""));

describe.skipIf(!there)("the three databases", () => {
  it("find alike, whatever the case and the accents", async () => {
    const databases = await three();
    await fc.assert(
      fc.asyncProperty(
        fc.array(text(anyLetters), { minLength: 1, maxLength: 12 }),
        fc.array(text(anyLetters.filter((letter) => letter !== " ")).filter(Boolean), {
          minLength: 1,
          maxLength: 6,
        }),
        async (texts, words) => {
          for (const database of databases) {
            await fill(
              database,
              texts.map((words) => ({ words })),
            );
          }
          for (const word of [...words, ...texts.map((each) => each.trim().slice(0, 3))]) {
            if (word === "") continue;
            await sameOnAll(databases, async ({ db, contains, columnContains }) => {
              const found = await Promise.all(
                [
                  contains(sql.ref("place.words"), word),
                  columnContains("place.words", word, true),
                  columnContains("place.words", word, false),
                ].map((condition) =>
                  idsOf(db.selectFrom("place").select("id").where(condition).orderBy("id")),
                ),
              );
              expect(new Set(found.map(String)).size, word).toBe(1);
              return found[0];
            });
          }
        },
      ),
      { numRuns: runs },
    );
    await Promise.all(databases.map(({ db }) => db.destroy()));
  });

  it("order alike, and take the same for unique, whatever the case and the accents", async () => {
    const databases = await three();
    const alike = async (texts: string[]) => {
      await sameOnAll(databases, (database) =>
        fill(
          database,
          texts.map((name) => ({ name, words: name || null })),
        ),
      );
      for (const descending of [false, true]) {
        await sameOnAll(databases, ({ db, orderTerm }) =>
          idsOf(
            db
              .selectFrom("place")
              .select("id")
              .orderBy(orderTerm("place.words", descending, true))
              .orderBy("id"),
          ),
        );
        await sameOnAll(databases, ({ db, orderTerm }) =>
          idsOf(
            db
              .selectFrom("place")
              .select(["id", sql`concat_ws('', ${sql.ref("place.words")})`.as("title")])
              .orderBy(orderTerm("title", descending, true))
              .orderBy("id"),
          ),
        );
      }
    };
    const several = fc.array(text(orderedLetters), { minLength: 2, maxLength: 15 });
    await fc.assert(fc.asyncProperty(several, alike), { numRuns: runs });
    await Promise.all(databases.map(({ db }) => db.destroy()));
  });

  it("are told in SQL what the program takes a text for", async () => {
    const file = join(temporaryFolder(), "records.db");
    await makeTables(openSqlite(file));
    const db = onSqlite.openTables<Tables>(`sqlite:${file}`);
    await fc.assert(
      fc.asyncProperty(fc.string({ unit: "grapheme", maxLength: 20 }), async (any) => {
        fc.pre(!any.includes("\0"));
        const { rows } = await sql<{
          found: string;
        }>`select ${sql.raw(folded(`'${any.replaceAll("'", "''")}'`))} as found`.execute(db);
        expect(rows[0]?.found).toBe(orderOf(any));
        expect(folded("x")).toBe(foldedInScripts("x"));
      }),
      { numRuns: runs * 10 },
    );
    await db.destroy();
  });

  it("keep numbers exact, and days and booleans as they are", async () => {
    const databases = await three();
    const number = (places: number) =>
      fc
        .tuple(fc.integer({ min: -(10 ** 10), max: 10 ** 10 }), fc.nat(10 ** places - 1))
        .map(([whole, part]) => Number(`${whole}.${String(part).padStart(places, "0")}`));
    await fc.assert(
      fc.asyncProperty(
        fc.array(
          fc.record({
            weight: number(4),
            paid: number(2),
            since: fc
              .date({
                min: new Date("0001-01-01"),
                max: new Date("9999-12-31"),
                noInvalidDate: true,
              })
              .map((day) => day.toISOString().slice(0, 10)),
            sunny: fc.boolean(),
          }),
          { minLength: 1, maxLength: 10 },
        ),
        async (rows) => {
          for (const database of databases) {
            await fill(database, rows);
            const back = await database.db
              .selectFrom("place")
              .select(["weight", "paid", "since", "sunny"])
              .orderBy("id")
              .execute();
            expect(back).toEqual(
              rows.map((row) => ({ ...row, weight: row.weight + 0, paid: row.paid + 0 })),
            );
          }
          for (const column of ["weight", "paid", "since"]) {
            await sameOnAll(databases, ({ db, orderTerm }) =>
              idsOf(
                db
                  .selectFrom("place")
                  .select("id")
                  .orderBy(orderTerm(`place.${column}`))
                  .orderBy("id"),
              ),
            );
          }
        },
      ),
      { numRuns: runs },
    );
    await Promise.all(databases.map(({ db }) => db.destroy()));
  });
});
