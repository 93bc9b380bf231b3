// What programs ask for: a list as JSON, against a handler by hand that gives the same bytes; and all rows as lines, against
// the bare driver that reads them.
import { writeFileSync } from "node:fs";
import { get } from "node:http";
import { join } from "node:path";
import Driver from "libsql";
import { bin, fetchText, inFolder, median, memoryNow, root, run, startServer } from "./measure.js";
import { fill, model, requestsPerSecond, rows } from "./pages.js";

const list = "/-/api/harvests";

/** Reads lines from an application to their end; gives how many in a second, and the most memory that it took meanwhile. */
function downloaded({ address, pid }, query) {
  return new Promise((resolve, reject) => {
    const begun = performance.now();
    let memory = 0;
    const watch = setInterval(() => {
      memory = Math.max(memory, memoryNow(pid));
    }, 50);
    get(`${address}${list}.ndjson${query}`, (answer) => {
      let lines = 0;
      answer.on("data", (chunk) => {
        for (const byte of chunk) if (byte === 10) lines++;
      });
      answer.on("end", () => {
        clearInterval(watch);
        resolve({ speed: (lines * 1000) / (performance.now() - begun), memory });
      });
    }).on("error", reject);
  });
}

/** The rows that the driver alone reads in a second, as objects. */
function read(file) {
  const driver = new Driver(file);
  const begun = performance.now();
  let lines = 0;
  for (const row of driver.prepare("select * from harvest order by id").iterate()) {
    if (row.id > 0) lines++;
  }
  driver.close();
  return (lines * 1000) / (performance.now() - begun);
}

export function programs() {
  return inFolder(async (folder) => {
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "migrate", "build"]) run([bin, command, "-p", folder]);
    const file = join(folder, "records.db");
    fill(file);
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: "" });
    const byHand = join(root, "bench", "api-by-hand.js");
    const reference = await startServer([byHand], folder, { PORT: "4871" });
    try {
      const results = [];
      for (const [what, query] of [
        ["50 rows in their own order", ""],
        ["500 rows in their own order", "?size=500"],
        ["50 rows of one apiary, by weight", "?apiary_id=7&sort=-weight"],
      ]) {
        const urls = [application, reference].map(({ address }) => `${address}${list}${query}`);
        const [one, other] = await Promise.all(urls.map((url) => fetchText(url, false)));
        if (one !== other) throw new Error(`other bytes for ${query}:\n${one}\n---\n${other}`);
        // Until both run as fast as they will.
        for (let turn = 0; turn < 4; turn++) {
          for (const url of urls) await requestsPerSecond(url);
        }
        const speeds = [[], []];
        for (let turn = 0; turn < 5; turn++) {
          for (const [at, url] of urls.entries()) speeds[at].push(await requestsPerSecond(url));
        }
        results.push({
          what: `a list as JSON at ${rows.toLocaleString("en")} rows, ${what}`,
          reference: "a handler by hand: same framework, driver, query, checks and bytes",
          own: median(speeds[0]),
          against: median(speeds[1]),
          unit: "requests/s",
          hold: ">= 0.9",
        });
      }
      const own = [];
      const bare = [];
      for (let turn = 0; turn < 3; turn++) {
        own.push((await downloaded(application, "")).speed);
        bare.push(read(file));
      }
      results.push({
        what: `${rows.toLocaleString("en")} rows as lines of JSON, downloaded`,
        reference: "the bare driver that reads the same rows",
        own: median(own),
        against: median(bare),
        unit: "rows/s",
        hold: ">= 0.5",
      });
      const [tenth, all] = [
        await downloaded(application, `?after=${rows - rows / 10}`),
        await downloaded(application, ""),
      ];
      results.push({
        what: "the most memory while sending all of them",
        reference: "while sending a tenth of them",
        own: all.memory,
        against: tenth.memory,
        unit: "MB",
        hold: "<= 1.2",
      });
      return results;
    } finally {
      await application.stop();
      await reference.stop();
    }
  });
}
