// Reports over 1,000,000 rows, against the same SQL by hand; and the filter panel, against counting all rows.
import { writeFileSync } from "node:fs";
import { Agent } from "node:http";
import { join } from "node:path";
import Driver from "libsql";
import { bin, byTurns, fetchText, inFolder, run, startServer } from "./measure.js";
import { fill, model } from "./pages.js";

const reports = [
  {
    what: "a report of 1,000,000 rows, grouped, with two figures and a formula",
    query: "by=apiary&show=sum:weight&show=average:weight&show=sum:weight+*+2",
    sql: `select a, sum(w), count(w), sum(d) from (select (select id from apiary where apiary.id = apiary_id) as a,
      weight as w, round(weight * 2, 2) as d from harvest) group by a`,
    hold: "<= 1.15",
  },
  {
    what: "a pivot of 1,000,000 rows, months by choices",
    query: "by=date:month&across=sort&show=sum:weight",
    sql: `select m, s, sum(w), count(w) from (select substr(date, 1, 7) as m, sort as s, weight as w from harvest) group by m, s`,
    hold: "<= 1.2",
  },
];

/** What the start page of this model asks for, by hand; its periods are the last twelve months. */
const tiles = [
  "select substr(date, 1, 7) as m, sum(weight) from harvest where date >= ? and date <= ? group by m",
  "select substr(date, 1, 7) as m, sort as s, sum(weight) from harvest where date >= ? and date <= ? group by m, s",
  "select apiary_id, sum(weight) from harvest where date >= ? and date <= ? group by apiary_id",
  "select sort, count(*) from harvest group by sort",
  "select * from harvest order by date desc, id desc limit 6",
  "select count(*) from harvest",
];

async function dashboard({ address }, driver, agent) {
  const now = new Date();
  const month = (at) => new Date(Date.UTC(now.getUTCFullYear(), now.getUTCMonth() + at, 1));
  const [from, to] = [month(-11), new Date(month(1).getTime() - 86_400_000)].map((day) =>
    day.toISOString().slice(0, 10),
  );
  const [own, against] = await byTurns(
    5,
    () => fetchText(`${address}/`, agent),
    () => {
      for (const text of tiles) driver.prepare(text).all(...(text.includes("?") ? [from, to] : []));
    },
  );
  const what = "the start page over 1,000,000 rows: a figure, three charts and a list";
  return { what, reference: "its statements by hand", own, against, hold: "<= 1.3" };
}

export function reported() {
  return inFolder(async (folder) => {
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "migrate", "build"]) run([bin, command, "-p", folder]);
    const file = join(folder, "records.db");
    fill(file);
    const driver = new Driver(file);
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: "" });
    const agent = new Agent({ keepAlive: true });
    const ask = (path) => fetchText(`${application.address}/harvests${path}`, agent);
    try {
      const results = [];
      for (const { what, query, sql, hold } of reports) {
        const [own, against] = await byTurns(
          5,
          () => ask(`?layout=report&${query}`),
          () => driver.prepare(sql).all(),
        );
        results.push({ what, reference: "the same SQL by hand", own, against, hold });
      }
      results.push(await dashboard(application, driver, agent));
      const [own, against] = await byTurns(
        5,
        () => ask("/filter?weight.from=50"),
        () => ask("/filter?weight.from=50&count=all"),
      );
      const what = "the filter panel over 1,000,000 rows, filtered, by a sample";
      results.push({ what, reference: "counting all of them", own, against, hold: "<= 0.15" });
      return results;
    } finally {
      agent.destroy();
      driver.close();
      await application.stop();
    }
  });
}
