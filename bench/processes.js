// Several processes of one application over PostgreSQL: requests a second, and what one costs in processor time, at rows
// that grow tenfold. ROWS=10000000 goes on to so many.
import { readdirSync, readFileSync } from "node:fs";
import { Agent } from "node:http";
import { join } from "node:path";
import { bin, fetchText, median, run, startServer } from "./measure.js";
import { onServer, servers } from "./servers.js";

const model = `levadura: 1
app: {name: Hive Book, language: en-GB, database: postgres}
entities:
  Apiary:
    fields: {name: "text, required, unique"}
  Harvest:
    fields:
      code: text, required
      apiary: one Apiary, required
      date: date, required
      weight: decimal 0..200, unit kg
    sort: date descending
`;
const most = Number(process.env.ROWS ?? 1_000_000);
const counts = [1, 2, 4];
const concurrency = 16;
const milliseconds = 3000;

/** What is asked, by the number of the request and of all rows. */
const kinds = {
  list: () => "/harvests",
  "list, filtered by apiary": (turn) => `/harvests?apiary_id=${1 + (turn % 100)}`,
  record: (turn, rows) => {
    const id = 1 + ((turn * 7919) % rows);
    return `/harvests/${id}-h-${id}`;
  },
};

export function processes() {
  const [server] = servers;
  return onServer(server, model, async ({ folder, url, client }) => {
    run([bin, "build", "-p", folder]);
    const stamp = "now(), now()";
    await client.query(
      `insert into apiary (name, created_at, updated_at) select 'Apiary ' || i, ${stamp} from generate_series(1, 100) i`,
    );
    const results = [];
    for (let rows = 100_000, had = 0; rows <= most; had = rows, rows *= 10) {
      await client.query(`insert into harvest (code, apiary_id, date, weight, created_at, updated_at)
        select 'H-' || i, 1 + i % 100, date '2020-01-01' + (i::bigint * 7919 % 2200)::int, (i::bigint * 31 % 2000) / 10.0, ${stamp}
        from generate_series(${had + 1}, ${rows}) i`);
      await client.query("vacuum analyze harvest");
      results.push(...(await measured(folder, url, rows)));
    }
    return results;
  });
}

async function measured(folder, url, rows) {
  const speeds = new Map();
  for (const count of counts) {
    const running = [];
    for (let at = 0; at < count; at++) {
      const env = { DATABASE_URL: url };
      running.push(
        await startServer([bin, "serve", "-p", folder, "--port", `${4880 + at}`], folder, env),
      );
    }
    try {
      for (const [kind, pathOf] of Object.entries(kinds)) {
        await asked(running, pathOf, rows, 1000);
        const turns = [];
        for (let turn = 0; turn < 3; turn++) {
          const before = [own(running), databases()];
          const { done, seconds } = await asked(running, pathOf, rows, milliseconds);
          const [app, database] = [own(running) - before[0], databases() - before[1]];
          turns.push({
            speed: done / seconds,
            app: (1000 * app) / done,
            database: (1000 * database) / done,
          });
        }
        const of = (name) => median(turns.map((each) => each[name]));
        speeds.set(`${kind} ${count}`, of("speed"));
        console.log(
          `${rows} rows, ${count} processes, ${kind}: ${of("speed").toFixed(0)} requests/s, ${of("app").toFixed(2)} ms in the application and ${of("database").toFixed(2)} ms in the database`,
        );
      }
    } finally {
      await Promise.all(running.map((each) => each.stop()));
    }
  }
  return Object.keys(kinds).map((kind) => ({
    what: `${kind} page at ${rows.toLocaleString("en")} rows, two processes over PostgreSQL`,
    reference: "one process",
    own: speeds.get(`${kind} 2`),
    against: speeds.get(`${kind} 1`),
    unit: "requests/s",
    hold: ">= 1",
  }));
}

/** Asks the processes in turn. */
async function asked(running, pathOf, rows, milliseconds) {
  const agent = new Agent({ keepAlive: true, maxSockets: concurrency });
  const begun = performance.now();
  let done = 0;
  const ask = async () => {
    while (performance.now() - begun < milliseconds) {
      const turn = done++;
      await fetchText(running[turn % running.length].address + pathOf(turn, rows), agent);
    }
  };
  await Promise.all(Array.from({ length: concurrency }, ask));
  agent.destroy();
  return { done, seconds: (performance.now() - begun) / 1000 };
}

/** The processor time that processes and those below them have taken, in seconds. */
function own(running) {
  const of = (pid) => {
    const children = readFileSync(`/proc/${pid}/task/${pid}/children`, "utf8").trim().split(" ");
    return timeOf(pid) + children.filter(Boolean).reduce((sum, child) => sum + of(child), 0);
  };
  return running.reduce((sum, { pid }) => sum + of(pid), 0);
}

/** That of all processes of PostgreSQL on this machine. */
function databases() {
  return readdirSync("/proc")
    .filter((name) => /^\d+$/.test(name))
    .reduce((sum, pid) => {
      try {
        const isOne = readFileSync(join("/proc", pid, "comm"), "utf8").trim() === "postgres";
        return sum + (isOne ? timeOf(pid) : 0);
      } catch {
        return sum;
      }
    }, 0);
}

function timeOf(pid) {
  const fields = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ")[1].split(" ");
  return (Number(fields[11]) + Number(fields[12])) / 100;
}
