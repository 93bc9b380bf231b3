// The list page over 1,000,000 rows, against a handler written by hand that gives the same bytes.
import { writeFileSync } from "node:fs";
import { Agent } from "node:http";
import { join } from "node:path";
import Driver from "libsql";
import { bin, fetchText, inFolder, median, root, run, startServer } from "./measure.js";

export const rows = 1_000_000;
const requests = 600;
const concurrency = 8;
/** The longest turn, in milliseconds. */
const longest = 3000;

export const model = `levadura: 1
app: {name: Hive Book, language: en-GB}
entities:
  Apiary:
    fields: {name: "text, required, unique"}
  Harvest:
    search: indexed
    fields:
      code: text, required
      apiary: one Apiary, required
      date: date, required
      weight: decimal 0..200, unit kg
      sort: choice blossom | forest | heather
    sort: date descending
`;

export function fill(file) {
  const driver = new Driver(file);
  driver.exec("begin");
  const stamp = "'2026-01-01T00:00:00Z', '2026-01-01T00:00:00Z'";
  driver.exec(`with recursive n(i) as (select 1 union all select i + 1 from n where i < 100)
    insert into apiary (name, created_at, updated_at) select 'Apiary ' || i, ${stamp} from n`);
  driver.exec(`with recursive n(i) as (select 1 union all select i + 1 from n where i < ${rows})
    insert into harvest (code, apiary_id, date, weight, sort, created_at, updated_at)
    select 'H-' || i, 1 + i % 100, date('2020-01-01', '+' || (i * 7919 % 2200) || ' days'), (i * 31 % 2000) / 10.0,
      case i % 3 when 0 then 'blossom' when 1 then 'forest' else 'heather' end, ${stamp} from n`);
  driver.exec("commit");
  driver.close();
}

/** The record in a place of the list's own order. */
function recordAt(file, place) {
  const driver = new Driver(file);
  const { id } = driver
    .prepare("select id from harvest order by date desc, id desc limit 1 offset ?")
    .get([place]);
  driver.close();
  return id;
}

export async function requestsPerSecond(url) {
  const agent = new Agent({ keepAlive: true, maxSockets: concurrency });
  let done = 0;
  const begun = performance.now();
  const isLeft = () => done < requests && performance.now() - begun < longest;
  const ask = async () => {
    while (isLeft()) {
      await fetchText(url, agent);
      done++;
    }
  };
  await Promise.all(Array.from({ length: concurrency }, ask));
  agent.destroy();
  return (done * 1000) / (performance.now() - begun);
}

export function list() {
  return inFolder(async (folder) => {
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "migrate", "build"]) run([bin, command, "-p", folder]);
    fill(join(folder, "records.db"));
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: "" });
    const reference = await startServer([join(root, "bench", "list-by-hand.js")], folder, {
      PORT: "4870",
      PAGE: `${application.address}/harvests`,
    });
    try {
      const results = [];
      for (const [what, query, hold = ">= 0.85"] of [
        ["sorted by its own order", ""],
        [
          "page 10,000 of its own order",
          `?page=10000&after=${recordAt(join(folder, "records.db"), 249_974)}`,
        ],
        ["filtered and sorted by weight", "?apiary_id=7&sort=-weight"],
        ["searched for a frequent word", "?search=H-99"],
        ["searched for a rare word, by its index", "?search=H-99123", ">= 10"],
      ]) {
        const [own, byHand] = [application, reference].map(
          ({ address }) => `${address}/harvests${query}`,
        );
        const [one, other] = [await fetchText(own), await fetchText(byHand)];
        if (one !== other)
          throw new Error(`the reference gives other bytes for ${query}:\n${one}\n---\n${other}`);
        await requestsPerSecond(own);
        await requestsPerSecond(byHand);
        const speeds = [[], []];
        for (let turn = 0; turn < 5; turn++) {
          speeds[0].push(await requestsPerSecond(own));
          speeds[1].push(await requestsPerSecond(byHand));
        }
        results.push({
          what: `list page at 1,000,000 rows, ${what}`,
          reference: "a handler by hand: same framework, driver, query and bytes",
          own: median(speeds[0]),
          against: median(speeds[1]),
          unit: "requests/s",
          hold,
        });
      }
      return results;
    } finally {
      await application.stop();
      await reference.stop();
    }
  });
}
