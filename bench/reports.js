// Reports over 1,000,000 rows in each database, against the same SQL by hand; and the filter panel, against counting all rows.
import { writeFileSync } from "node:fs";
import { Agent } from "node:http";
import { join } from "node:path";
import Driver from "libsql";
import { bin, byTurns, fetchText, inFolder, run, startServer } from "./measure.js";
import { fill, model, rows } from "./pages.js";
import { fillOnServer, onServer, servers } from "./servers.js";

/** The apiary of a harvest, by which no index leads to the rows, and its month, as each database has them fastest. */
const columns = {
  sqlite: { apiary: "+apiary_id", month: "substr(date, 1, 7)" },
  postgres: { apiary: "apiary_id", month: "to_char(date, 'YYYY-MM')" },
  mariadb: { apiary: "apiary_id + 0", month: "extract(year_month from date)" },
};

const reports = [
  {
    what: "a report of 1,000,000 rows, grouped, with two figures and a formula",
    query: "by=apiary&show=sum:weight&show=average:weight&show=sum:weight+*+2",
    sql: `select a, sum(w), count(w), sum(d) from (select apiary as a, weight as w,
      round(weight * 2, 2) as d from harvest) as harvests group by a`,
    hold: "<= 1.15",
  },
  {
    what: "a pivot of 1,000,000 rows, months by choices",
    query: "by=date:month&across=sort&show=sum:weight",
    sql: `select m, s, sum(w), count(w) from (select month as m, sort as s, weight as w from harvest) as harvests group by m, s`,
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

/** Each report, against its statement; `statement` runs one. */
async function compared({ address }, agent, { kind, name }, statement) {
  const results = [];
  for (const { what, query, sql, hold } of reports) {
    const [own, against] = await byTurns(
      5,
      () => fetchText(`${address}/harvests?layout=report&${query}`, agent),
      () => statement(sql.replace(/(apiary|month) as/, (_, name) => `${columns[kind][name]} as`)),
    );
    const reference = "the same SQL by hand, with the same settings";
    results.push({ what: `${what}, on ${name}`, reference, own, against, hold });
  }
  return results;
}

export async function reported() {
  const results = await inFile();
  for (const server of servers) results.push(...(await onOne(server)));
  return results;
}

function onOne(server) {
  const own = model
    .replace("language: en-GB", `$&, database: ${server.kind}`)
    .replace("    search: indexed\n", "");
  return onServer(server, own, async ({ folder, url, client, levadura }) => {
    await fillOnServer(server, client, rows);
    levadura("build");
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: url });
    const agent = new Agent({ keepAlive: true });
    try {
      return await compared(application, agent, server, (sql) => client.query(sql));
    } finally {
      agent.destroy();
      await application.stop();
    }
  });
}

function inFile() {
  return inFolder(async (folder) => {
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "migrate", "build"]) run([bin, command, "-p", folder]);
    const file = join(folder, "records.db");
    fill(file);
    const driver = new Driver(file);
    driver.pragma("temp_store = file");
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: "" });
    const agent = new Agent({ keepAlive: true });
    const ask = (path) => fetchText(`${application.address}/harvests${path}`, agent);
    try {
      const kept = { kind: "sqlite", name: "SQLite" };
      const results = await compared(application, agent, kept, (sql) => driver.prepare(sql).all());
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
