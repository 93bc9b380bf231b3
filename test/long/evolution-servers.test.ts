import { describe, expect, it } from "vitest";
import { thereAndBack } from "../support/evolving.ts";
import { temporaryFolder } from "../support/program.ts";
import { answers, emptyDatabase, mariadb, postgres } from "../support/servers.ts";

describe.each([postgres, mariadb])("rows of a random model in $kind", async (server) => {
  const there = await answers(server);

  it.skipIf(!there)(
    "are all there in another one, and back, in the schema of a fresh database",
    async () => {
      const outcomes = { moved: 0, refused: 0, impossible: 0 };
      const folder = temporaryFolder();
      const from = Number(process.env.PAIRS_FROM ?? 0);
      const engine = await emptyDatabase(server);
      for (let seed = from; seed < from + Number(process.env.PAIRS ?? 10); seed++) {
        outcomes[await thereAndBack(engine, folder, seed)]++;
        await server.clear(engine);
      }
      expect(outcomes.moved).toBeGreaterThan(2 * (outcomes.refused + outcomes.impossible));
    },
  );
});
