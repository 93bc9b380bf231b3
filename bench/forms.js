// Forms and pages of records: what many records that can be chosen, or that refer to one, cost them.
import { spawn } from "node:child_process";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import Driver from "libsql";
import { bin, byTurns, fetchText, inFolder, root, run, startServer, until } from "./measure.js";

const model = `levadura: 1
app: {name: Hive Book, language: en-GB}
entities:
  Apiary: {plural: Apiaries, seed: 1000000, fields: {name: "text, required, unique"}}
  Keeper: {seed: 300, fields: {name: "text, required, unique"}}
  Hive: {title: "{code}", seed: 100, fields: {code: "text, required, unique"}}
  Visit:
    title: "{note}"
    seed: 0
    fields: {note: "text, required", hive: part of Hive, apiary: one Apiary}
  Call:
    title: "{note}"
    seed: 0
    fields: {note: "text, required", hive: part of Hive, keeper: one Keeper}
`;

/** Hive 1 has 10,000 visits, hive 2 has 10. */
function addVisits(folder) {
  const db = new Driver(join(folder, "records.db"));
  const moment = "2026-05-03T07:00:00Z";
  db.exec(`with recursive n(x) as (select 1 union all select x + 1 from n where x < 10010)
    insert into visit (note, hive_id, apiary_id, version, created_at, updated_at)
    select 'Visit ' || x, iif(x <= 10000, 1, 2), x, 1, '${moment}', '${moment}' from n`);
  db.close();
}

/** How long it takes from the start of a process to its first answer. */
async function firstAnswer(args, cwd, env, port) {
  const child = spawn(process.execPath, args, {
    cwd,
    stdio: "ignore",
    env: { ...process.env, ...env, PORT: String(port) },
  });
  await until(`http://127.0.0.1:${port}/`, (text) => text !== "");
  const ended = new Promise((resolve) => child.once("exit", resolve));
  child.kill("SIGTERM");
  await ended;
}

export function forms() {
  return inFolder(async (folder) => {
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "migrate", "seed", "build"])
      run([bin, command, "-p", folder]);
    addVisits(folder);
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: "" });
    const byHand = join(root, "bench", "offers-by-hand.js");
    const reference = await startServer([byHand], folder, { PORT: "3190" });
    const offers = (base) => async () => {
      for (const words of ["am", "Amber", "Sage H", "o", "Thyme Meadow", "la"]) {
        await fetch(`${base}/visits/new/offers`, {
          method: "POST",
          headers: { origin: base },
          body: new URLSearchParams({ _field: "apiary_id", _words: words }),
        }).then((answer) => answer.text());
      }
    };
    /** The address of a record with its title, to which the bare one leads. */
    const addressOf = async (path) =>
      new URL((await fetch(application.address + path)).url).pathname;
    const page = (path) => async () => {
      for (let turn = 0; turn < 5; turn++) await fetchText(application.address + path);
    };
    const main = join(folder, ".levadura", "run", "dist", "main.mjs");
    const env = { DATABASE_URL: `sqlite:${join(folder, "records.db")}`, HOST: "127.0.0.1" };
    try {
      const warm = [offers(application.address), offers(reference.address)];
      await byTurns(5, ...warm);
      const [own, bare] = await byTurns(25, ...warm);
      const [first, second] = [await addressOf("/hives/1"), await addressOf("/hives/2")];
      const [many, few] = await byTurns(25, page(first), page(second));
      const [long, short] = await byTurns(25, page("/visits/new"), page("/calls/new"));
      const [start, plain] = await byTurns(
        7,
        () => firstAnswer([main], join(folder, "app"), env, 3191),
        () => firstAnswer([byHand], folder, {}, 3192),
      );
      return [
        {
          what: "six beginnings of titles typed into a lookup over 1,000,000 records",
          reference: "a handler by hand with the bare query by the index",
          own,
          against: bare,
          hold: "<= 3",
        },
        {
          what: "a record page with 10,000 related rows, five times",
          reference: "one with 10",
          own: many,
          against: few,
          hold: "<= 1.2",
        },
        {
          what: "a form with a lookup over 1,000,000 records, five times",
          reference: "one over 300",
          own: long,
          against: short,
          hold: "<= 1.2",
        },
        {
          what: "an application, from its start to its first answer",
          reference: "a bare server on the same framework and driver",
          own: start,
          against: plain,
          hold: "<= 1.5",
        },
      ];
    } finally {
      await application.stop();
      await reference.stop();
    }
  });
}
