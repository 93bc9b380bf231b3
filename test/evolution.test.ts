import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { openSqlite } from "../src/io/engines/sqlite/engine.ts";
import { compared, thereAndBack } from "./support/evolving.ts";
import { temporaryFolder } from "./support/program.ts";

describe("rows of a random model, brought to another one and back", () => {
  it("are all there, in the schema of a fresh database", async () => {
    const outcomes = { moved: 0, refused: 0, impossible: 0 };
    const folder = temporaryFolder();
    const from = Number(process.env.PAIRS_FROM ?? 0);
    for (let seed = from; seed < from + Number(process.env.PAIRS ?? 40); seed++) {
      const engine = openSqlite(join(folder, `${seed}.db`));
      outcomes[await thereAndBack(engine, folder, seed)]++;
      await engine.close();
    }
    // Nearly every row of every model has cells that a plain evaluation knows.
    expect(compared.cells).toBeGreaterThan(50 * outcomes.moved);
    expect(outcomes.moved).toBeGreaterThan(2 * (outcomes.refused + outcomes.impossible));
  });
});
