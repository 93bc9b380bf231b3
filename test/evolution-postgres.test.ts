import { describe, expect, it } from "vitest";
import { thereAndBack } from "./support/evolving.ts";
import { temporaryFolder } from "./support/program.ts";
import { emptyPostgres, hasPostgres } from "./support/servers.ts";

const there = await hasPostgres();

describe.skipIf(!there)(
  "rows of a random model in PostgreSQL, brought to another one and back",
  () => {
    it("are all there, in the schema of a fresh database", async () => {
      const outcomes = { moved: 0, refused: 0, impossible: 0 };
      const folder = temporaryFolder();
      const from = Number(process.env.PAIRS_FROM ?? 0);
      const engine = await emptyPostgres();
      for (let seed = from; seed < from + Number(process.env.PAIRS ?? 25); seed++) {
        outcomes[await thereAndBack(engine, folder, seed)]++;
        await engine.migrations.run("drop schema public cascade; create schema public");
      }
      expect(outcomes.moved).toBeGreaterThan(4 * (outcomes.refused + outcomes.impossible));
    });
  },
);
