import { describe, expect, it } from "vitest";
import { formulaDatabases, sameEverywhere } from "./support/formulas.ts";
import { answers, mariadb, postgres } from "./support/servers.ts";

const there = (await answers(postgres)) && (await answers(mariadb));

/** How many rounds of formulas are tried, and from which seed on. */
const rounds = Number(process.env.ROUNDS ?? 5);
const from = Number(process.env.ROUNDS_FROM ?? 0);

describe.skipIf(!there)("formulas", () => {
  it("come to the same in the application and on every database", async () => {
    const databases = await formulaDatabases();
    let tried = 0;
    for (let seed = from; seed < from + rounds; seed++) {
      tried += await sameEverywhere(databases, seed, 25);
    }
    expect(tried).toBe(rounds * 25);
    await Promise.all(databases.map(({ db }) => db.destroy()));
  });
});
