// A search for a rare word by the index of a server, against the statement that has to look through all rows.
import { bin, byTurns, fetchText, startServer } from "./measure.js";
import { model } from "./pages.js";
import { onServer, servers } from "./servers.js";

const word = "H-99123";
const numbers = {
  postgres: "generate_series(1, 1000000) as n(i)",
  mariadb: "(select seq as i from seq_1_to_1000000) as n",
};
const day = {
  postgres: "date '2020-01-01' + (i * 7919 % 2200)::int",
  mariadb: "adddate('2020-01-01', i * 7919 % 2200)",
};
const text = {
  postgres: "'H-' || i",
  mariadb: "concat('H-', i)",
};

export async function searched() {
  const lines = [];
  for (const server of servers) lines.push(await searchedOn(server));
  return lines;
}

function searchedOn(server) {
  const { kind, name } = server;
  const own = model.replace("language: en-GB", `$&, database: ${kind}`);
  return onServer(server, own, async ({ folder, url, client, levadura }) => {
    const stamps = "'2026-01-01 00:00:00', '2026-01-01 00:00:00'";
    await client.query(
      `insert into apiary (name, created_at, updated_at) values ('Mill Meadow', ${stamps})`,
    );
    await client.query(`insert into harvest (code, apiary_id, date, weight, sort, created_at, updated_at)
      select ${text[kind]}, 1, ${day[kind]}, (i * 31 % 2000) / 10.0, 'blossom', ${stamps} from ${numbers[kind]}`);
    await client.query(kind === "postgres" ? "vacuum analyze" : "analyze table harvest");
    levadura("build");
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: url });
    const scan = `select id, code, date, weight, sort from harvest where ${kind === "postgres" ? 'code collate "C" ilike' : "code like"} '%${word}%'
      order by date desc, id desc limit 26`;
    try {
      const page = () => fetchText(`${application.address}/harvests?search=${word}`);
      const found = (await client.query(scan)).length;
      const said = (await page()).match(/H-99123\d*<\/a>/g)?.length;
      if (said !== found) throw new Error(`${name}: the page has ${said} rows, the scan ${found}`);
      const [paged, scanned] = await byTurns(7, page, () => client.query(scan));
      return {
        what: `list page at 1,000,000 rows on ${name}, searched for a rare word by its index`,
        reference: "the statement alone, through all rows",
        own: paged,
        against: scanned,
        hold: "<= 0.1",
      };
    } finally {
      await application.stop();
    }
  });
}
