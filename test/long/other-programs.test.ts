import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, it } from "vitest";
import { levadura, repository, temporaryFolder } from "../support/program.ts";
import { noOffice, savedByOffice } from "../support/spreadsheets.ts";

const workbook = join(repository, "demo", "hive-book.xlsx");

it.skipIf(noOffice).each(["xlsx", "ods"] as const)(
  "the demo's workbook imports the same as %s of another program",
  async (format) => {
    const [own, other] = [temporaryFolder(), temporaryFolder()];
    const saved = savedByOffice(workbook, format, temporaryFolder());
    expect((await levadura(["import", workbook, "--yes"], own)).status).toBe(0);
    expect((await levadura(["import", saved, "--yes"], other)).status).toBe(0);
    for (const name of [
      "model.yaml",
      ...readdirSync(join(own, "data"))
        .filter((file) => file.endsWith(".csv"))
        .map((file) => `data/${file}`),
    ]) {
      expect(readFileSync(join(other, name), "utf8"), name).toBe(
        readFileSync(join(own, name), "utf8"),
      );
    }
  },
);
