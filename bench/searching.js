// A search for a rare word by the index of PostgreSQL, against the statement that has to look through all rows.
import { bin, byTurns, fetchText, startServer } from "./measure.js";
import { model, rows } from "./pages.js";
import { fillOnServer, onServer, servers } from "./servers.js";

const word = "H-99123";

export async function searched() {
  // MariaDB has no such index; a model that asks for one there is refused.
  return Promise.all(servers.filter(({ kind }) => kind === "postgres").map(searchedOn));
}

function searchedOn(server) {
  const { kind, name } = server;
  const own = model.replace("language: en-GB", `$&, database: ${kind}`);
  return onServer(server, own, async ({ folder, url, client, levadura }) => {
    await fillOnServer(server, client, rows);
    levadura("build");
    const application = await startServer([bin, "serve"], folder, { DATABASE_URL: url });
    // No index has what is put together.
    const scan = `select id, code, date, weight, sort from harvest where (code || '') collate "C" ilike '%${word}%'
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
