import fc from "fast-check";
import { expect, it, onTestFinished } from "vitest";
import { applyMigrations } from "../kit/migrations/migrations.ts";
import { difference } from "../src/core/evolution/difference.ts";
import { readModel } from "../src/core/model/read.ts";
import { openSqlite } from "../src/io/engines/sqlite/engine.ts";
import { migrationOf } from "../src/io/project/migrations.ts";
import { temporaryFolder } from "./support/program.ts";

const places = [0, 1, 2, 5, 6, 8, 10];
const fields = places.map((count) => `      d${count}: decimal, places ${count}`).join("\n");
const { model } = readModel(`levadura: 1\nentities:\n  Hive:\n    fields:\n${fields}\n`);

/** A number of up to 15 digits, some of them behind the point, as it is written. */
function written(digits: string, behind: number, sign: string): string {
  const padded = digits.padStart(behind + 1, "0");
  return `${sign}${padded.slice(0, padded.length - behind)}.${padded.slice(padded.length - behind)}0`;
}

it("decimals of 15 digits are exact on SQLite, which keeps them as binary fractions: right ones are taken, others refused", async () => {
  const engine = openSqlite(":memory:");
  onTestFinished(() => engine.close());
  if (!model) return expect.unreachable();
  const { steps } = difference({ tables: [] }, model);
  const begin = migrationOf("0001-begin", steps, engine.dialect, { tables: [] });
  await applyMigrations(engine.migrations, [begin], { keptFolder: temporaryFolder() });
  const insert = (count: number, value: string) =>
    engine.migrations.rows(
      `insert into hive (d${count}, created_at, updated_at) values (?, '2026-05-03T07:00:00Z', '2026-05-03T07:00:00Z')`,
      [Number(value)],
    );
  const digits = fc
    .tuple(fc.integer({ min: 1, max: 9 }), fc.bigInt({ min: 0n, max: 10n ** 14n - 1n }))
    .map(([first, rest]) => `${first}${rest}`.slice(0, 15));
  const number = fc.tuple(fc.constantFrom(...places), digits, fc.constantFrom("", "-"));
  await fc.assert(
    fc.asyncProperty(number, async ([count, all, sign]) => {
      await insert(count, written(all, count, sign));
      // One digit more behind the point, which isn't a zero.
      const more = `${all.slice(0, 14)}${1 + (Number(all.at(-1)) % 9)}`;
      await expect(insert(count, written(more, count + 1, sign))).rejects.toThrow(/constraint/);
    }),
    { numRuns: Number(process.env.RUNS ?? 3000) },
  );
});
