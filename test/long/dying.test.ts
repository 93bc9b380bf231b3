import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { connect, migrationConnection } from "../../kit/database/mariadb/connection.ts";
import {
  applyMigrations,
  type MigrationConnection,
  rewindMigration,
  settleHalfWay,
} from "../../kit/migrations/migrations.ts";
import { difference } from "../../src/core/evolution/difference.ts";
import { readModel } from "../../src/core/model/read.ts";
import { schemaOf } from "../../src/core/schema/from-model.ts";
import type { Engine } from "../../src/io/engines/engine.ts";
import { openSqlite } from "../../src/io/engines/sqlite/engine.ts";
import { migrationOf } from "../../src/io/project/migrations.ts";
import { contentOf } from "../support/evolving.ts";
import { temporaryFolder } from "../support/program.ts";
import {
  administrator,
  answers,
  databaseOfOnesOwn,
  mariadb,
  postgres,
} from "../support/servers.ts";

const models = [
  `levadura: 1
entities:
  Hive:
    fields:
      code: text ..20, required, unique
      town: text
      weight: text
      status: choice small | big
      notes: long text
`,
  `levadura: 1
entities:
  Town: {fields: {name: 'text, required, unique'}}
  Colony:
    was: Hive
    fields:
      code: text ..10, required, unique
      town: one Town, required
      weight: decimal, required, fill 1
      status: choice small | large was big
      place: text, required, fill here
`,
].map((text) => readModel(text).model ?? expect.fail("a model with errors"));
const [before, after] = models.map(schemaOf) as [
  ReturnType<typeof schemaOf>,
  ReturnType<typeof schemaOf>,
];
const steps = difference(before, models[1] as never, {
  acceptLoss: new Set(["colony.notes"]),
}).steps;

/** Says no from the n-th call on, as if the process had died there. */
class Life {
  constructor(public left: number) {}

  spend(): void {
    if (this.left-- <= 0) throw Object.assign(new Error("dead"), { fatal: true });
  }
}

/** A connection that dies; what a kind of database does then is up to its server, or its file. */
type Mortal = (life: Life) => Promise<{ connection: MigrationConnection; end(): Promise<void> }>;

/** One whose every call counts. */
function mortal(connection: MigrationConnection, life: Life): MigrationConnection {
  const counted = Object.entries(connection).map(([name, call]) => [
    name,
    typeof call === "function" && name !== "close" && name !== "rollback"
      ? (...given: unknown[]) => {
          life.spend();
          return call(...given);
        }
      : call,
  ]);
  return Object.fromEntries(counted) as MigrationConnection;
}

/** Lets a migration and its way back die at one call after the other, every `stride`-th of them. */
async function diesEverywhere(
  open: () => Promise<Engine>,
  reopen: Mortal,
  stride = 1,
): Promise<number> {
  const engine = await open();
  const folder = temporaryFolder();
  const options = { keptFolder: join(folder, "kept") };
  const begin = migrationOf(
    "0001-begin",
    difference({ tables: [] }, models[0] as never).steps,
    engine.dialect,
    { tables: [] },
  );
  const next = migrationOf("0002-next", steps, engine.dialect, before);
  const all = [begin, next];
  await applyMigrations(engine.migrations, [begin], options);
  const columns = ["code", "town", "weight", "status", "notes"];
  await engine.filler.fill(
    { table: "hive", columns, first: 1, moment: "2026-01-01T00:00:00Z" },
    ["Alderbrook", "alderBROOK", "Fell"].map((town, at) => ({
      code: `B-${at}`,
      town,
      weight: at === 1 ? null : `${at}.5`,
      status: "big",
      notes: "by the wall",
    })),
  );
  await engine.filler.goOn("hive");
  // Which numbers new rows get is left open: what was rolled back may have used some.
  const state = async (schema: typeof before) => [
    await engine.catalogue(),
    schema === before
      ? [...(await contentOf(engine, schema))]
      : await engine.migrations.rows(
          "select c.id, c.code, c.weight, c.status, c.place, t.name as town, (select count(*) from town) as towns from colony c join town t on t.id = c.town_id order by c.id",
        ),
  ];
  const old = await state(before);
  await applyMigrations(engine.migrations, all, options);
  const moved = await state(after);
  let calls = 0;
  for (let done = false; !done; calls += stride) {
    for (const direction of ["back", "forward"] as const) {
      const { connection, end } = await reopen(new Life(calls));
      const work =
        direction === "forward"
          ? applyMigrations(connection, all, options)
          : rewindMigration(connection, next, options);
      done = await work.then(
        () => true,
        (error: Error) => {
          expect(error.message, `call ${calls}`).toContain("dead");
          return false;
        },
      );
      await end();
      // The next run goes on, or begins again.
      if (direction === "forward") await applyMigrations(engine.migrations, all, options);
      else {
        const settled = await settleHalfWay(engine.migrations, all, options);
        if (!done && settled?.direction !== "back" && (await engine.hasTable("colony"))) {
          await rewindMigration(engine.migrations, next, options);
        }
      }
      const expected = direction === "forward" ? moved : old;
      expect(
        await state(direction === "forward" ? after : before),
        `${direction}, call ${calls}`,
      ).toEqual(expected);
    }
  }
  await engine.close();
  return calls;
}

const there = { postgres: await answers(postgres), mariadb: await answers(mariadb) };

describe("a migration whose process dies at any call to the database", () => {
  it("is done by the next run on SQLite", async () => {
    const file = join(temporaryFolder(), "records.db");
    const calls = await diesEverywhere(
      async () => openSqlite(file),
      async (life) => {
        const { migrations, close } = openSqlite(file);
        return { connection: mortal(migrations, life), end: close };
      },
    );
    expect(calls).toBeGreaterThan(20);
  });

  it.skipIf(!there.postgres)("is done by the next run on PostgreSQL", async () => {
    const { name, url } = databaseOfOnesOwn(postgres);
    await administrator(postgres, `create database ${name}`);
    const calls = await diesEverywhere(
      () => postgres.open(new URL(url)),
      async (life) => {
        const { migrations, close } = await postgres.open(new URL(url));
        return { connection: mortal(migrations, life), end: close };
      },
    );
    expect(calls).toBeGreaterThan(20);
  });

  it.skipIf(!there.mariadb)("is done by the next run on MariaDB", async () => {
    const { name, url } = databaseOfOnesOwn(mariadb);
    await administrator(mariadb, `create database ${name}`);
    const calls = await diesEverywhere(
      () => mariadb.open(new URL(url)),
      async (life) => {
        const client = await connect(url);
        const query: typeof client.query = (...given) => {
          life.spend();
          return client.query(...given);
        };
        const end = async () => client.connection.destroy();
        return { connection: migrationConnection({ ...client, query }), end };
      },
      Number(process.env.STRIDE ?? 11),
    );
    expect(calls).toBeGreaterThan(60);
  });
});
