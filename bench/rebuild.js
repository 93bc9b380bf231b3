// A migration that rebuilds a table of a million rows, against the same SQL run by hand.
import { copyFileSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { bin, byTurns, inFolder, mostMemory, root, run } from "./measure.js";

const Driver = createRequire(import.meta.url)("libsql");
const rows = 1_000_000;
const model = (weight) => `levadura: 1
entities:
  Apiary:
    fields: {name: "text, required, unique"}
  Harvest:
    fields:
      label: text ..40, required, unique
      apiary: one Apiary, required
      weight: ${weight}
      notes: long text
`;

const byHand = `
const { createRequire } = require("node:module");
const Driver = createRequire(process.argv[3])("libsql");
const driver = new Driver(process.argv[1]);
driver.pragma("journal_mode = WAL");
driver.pragma("synchronous = NORMAL");
driver.pragma("foreign_keys = off");
driver.exec("begin immediate");
driver.exec(require("node:fs").readFileSync(process.argv[2], "utf8"));
if (driver.prepare("pragma foreign_key_check").all().length > 0) throw new Error();
driver.exec("commit");
driver.close();
`;

export async function rebuild() {
  return inFolder(async (folder) => {
    const file = join(folder, "records.db");
    const full = join(folder, "full.db");
    writeFileSync(join(folder, "model.yaml"), model("decimal"));
    run([bin, "prepare"], folder);
    run([bin, "migrate"], folder);
    const driver = new Driver(file);
    driver.exec(`insert into apiary (name, created_at, updated_at)
      with recursive n (i) as (select 1 union all select i + 1 from n where i < 500)
      select 'Apiary ' || i, '2026-01-01T00:00:00Z', '2026-01-01T00:00:00Z' from n`);
    driver.exec(`insert into harvest (label, apiary_id, weight, notes, created_at, updated_at)
      with recursive n (i) as (select 1 union all select i + 1 from n where i < ${rows})
      select 'Harvest ' || i, 1 + i % 500, (i % 6000) / 100.0, 'Nothing unusual, number ' || i,
        '2026-01-01T00:00:00Z', '2026-01-01T00:00:00Z' from n`);
    driver.close();
    writeFileSync(join(folder, "model.yaml"), model("decimal 0..500, required"));
    run([bin, "prepare"], folder);
    const [, name] = readdirSync(join(folder, "migrations")).sort();
    const script = join(folder, "migrations", name, "forward.sqlite.sql");
    // By hand nobody would look for violating rows first; the database finds them too.
    writeFileSync(join(folder, "by-hand.sql"), readFileSync(script, "utf8"));
    const fresh = new Driver(file);
    fresh.exec(`vacuum into '${full}'`);
    fresh.close();
    let memory = 0;
    const reset = () => {
      copyFileSync(full, file);
    };
    const [own, against] = await byTurns(
      3,
      async () => {
        reset();
        memory = Math.max(memory, mostMemory([bin, "migrate", "--project", folder]));
      },
      async () => {
        reset();
        run(["-e", byHand, file, join(folder, "by-hand.sql"), join(root, "package.json")], folder);
      },
    );
    return [
      {
        what: "a migration that rebuilds a table of 1,000,000 rows",
        reference: "the same SQL, run by hand with the same driver",
        own,
        against,
        hold: "<= 1.1",
      },
      {
        what: "memory of that",
        reference: "200 MB",
        own: memory,
        against: 200,
        unit: "MB",
        hold: "<= 1",
      },
    ];
  });
}
