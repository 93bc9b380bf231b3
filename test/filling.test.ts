import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { readModel } from "../src/core/model/read.ts";
import { schemaOf } from "../src/core/schema/from-model.ts";
import type { Engine } from "../src/io/engines/engine.ts";
import { inPieces } from "../src/io/engines/filling.ts";
import { openSqlite } from "../src/io/engines/sqlite/engine.ts";
import { temporaryFolder } from "./support/program.ts";
import { answers, emptyDatabase, mariadb, postgres } from "./support/servers.ts";

const { model } = readModel(
  "levadura: 1\nentities:\n  Place:\n    fields:\n      name: text\n      notes: long text\n      weight: decimal, places 4\n      amount: integer\n      since: date\n      at: time\n      seen: datetime\n      sunny: boolean\n      near: one Place\n",
);
const schema = schemaOf(model ?? expect.fail("a model with errors"));
const columns = ["name", "notes", "weight", "amount", "since", "at", "seen", "sunny", "near_id"];

async function withTables(engine: Engine): Promise<Engine> {
  const steps = schema.tables.map((table) => ({ kind: "add table" as const, table }));
  await engine.migrations.begin();
  for (const { parts } of engine.dialect.sections(steps, { tables: [] })) {
    for (const part of parts) if (part.kind === "run") await engine.migrations.run(part.sql);
  }
  await engine.migrations.commit();
  return engine;
}

const engines: [string, () => Promise<Engine>][] = [
  ["sqlite", async () => openSqlite(`${temporaryFolder()}/records.db`)],
  ...((await answers(postgres))
    ? [["postgres", () => emptyDatabase(postgres)] as [string, () => Promise<Engine>]]
    : []),
  ...((await answers(mariadb))
    ? [["mariadb", () => emptyDatabase(mariadb)] as [string, () => Promise<Engine>]]
    : []),
];

const text = fc
  .oneof(
    fc.string({ unit: "grapheme", maxLength: 40 }),
    fc.constantFrom("\\N", "\\", "\\\\N", "a\tb", "a\nb", "\r\n", "'", '"', "NULL", "𝄞 Álamo", ","),
  )
  .map((each) => each.replaceAll("\0", ""));
const orNothing = <Value>(values: fc.Arbitrary<Value>) => fc.option(values, { freq: 5 });
const row = fc.record({
  name: orNothing(text),
  notes: orNothing(text),
  weight: orNothing(fc.integer({ min: -9e14, max: 9e14 }).map((number) => number / 10_000)),
  amount: orNothing(fc.maxSafeInteger()),
  since: orNothing(fc.constantFrom("1000-01-01", "2024-02-29", "2026-05-03", "9999-12-31")),
  at: orNothing(fc.constantFrom("00:00", "07:45", "23:59")),
  seen: orNothing(fc.constantFrom("2026-05-03T07:00:00Z", "1999-12-31T23:59:59Z")),
  sunny: fc.boolean(),
});

describe.each(engines)("filling tables of %s", (kind, open) => {
  it("keeps every value as it is, and numbers the rows", async () => {
    const engine = await withTables(await open());
    const { filler } = engine;
    await fc.assert(
      fc.asyncProperty(fc.array(row, { minLength: 1, maxLength: 30 }), async (rows) => {
        const moment = "2026-05-03T07:00:00Z";
        await engine.transaction(async () => {
          const first = (await filler.highest("place")) + 1;
          // Each is near the one before it, which comes in the same statement.
          const linked = rows.map((each, at) => ({
            ...each,
            near_id: at > 0 ? first + at - 1 : null,
          }));
          await filler.fill({ table: "place", columns, first, moment }, linked);
          await filler.goOn("place");
          const found = await engine.migrations.rows<Record<string, unknown>>(
            `select * from place where id >= ${first} order by id`,
          );
          const told = found.map((each) => ({
            ...Object.fromEntries(columns.map((name) => [name, each[name]])),
            sunny: Boolean(each.sunny),
          }));
          expect(told).toEqual(linked);
          expect(found.map(({ id }) => Number(id))).toEqual(rows.map((_, at) => first + at));
          expect(
            new Set(found.map(({ created_at, updated_at }) => `${created_at} ${updated_at}`)),
          ).toEqual(new Set([`${moment} ${moment}`]));
          await filler.set("place", "name", [
            [first, "changed, 'too'"],
            [first + 1, null],
          ]);
          const [changed] = await engine.migrations.rows<{ name: string }>(
            `select name from place where id = ${first}`,
          );
          expect(changed?.name).toBe("changed, 'too'");
        });
      }),
      { numRuns: 20 },
    );
    if (kind === "sqlite") await engine.close();
  });

  it("takes nothing where a row is refused, or where making one fails", async () => {
    const engine = await withTables(await open());
    const { filler } = engine;
    const target = {
      table: "place",
      columns: ["name", "near_id"],
      first: 1,
      moment: "2026-05-03T07:00:00Z",
    };
    const count = () => engine.count("select 1 as one from place");
    await expect(
      engine.transaction(() =>
        filler.fill(target, [
          { name: "here", near_id: null },
          { name: "there", near_id: 99 },
        ]),
      ),
    ).rejects.toThrow();
    expect(await count()).toBe(0);
    const failing = function* () {
      for (let at = 0; at < 5000; at++) yield { name: `place ${at}`, near_id: null };
      throw new Error("no more");
    };
    await expect(engine.transaction(() => filler.fill(target, failing()))).rejects.toThrow(
      "no more",
    );
    expect(await count()).toBe(0);
    expect(await engine.isUntouched("place")).toBe(true);
    await engine.transaction(() => filler.fill(target, [{ name: "here", near_id: null }]));
    expect(await count()).toBe(1);
    if (kind === "sqlite") await engine.close();
  });
});

describe("pieces", () => {
  it("have all items once, in their order", () => {
    expect([...inPieces([1, 2, 3, 4, 5], 2)]).toEqual([[1, 2], [3, 4], [5]]);
    expect([...inPieces([], 2)]).toEqual([]);
  });
});
