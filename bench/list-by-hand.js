// What an engineer would write by hand for this one page: the same framework, driver and query, and
// string templates. What stands around the table is taken from the page itself at the start.
import { serve } from "@hono/node-server";
import { Hono } from "hono";
import { html, raw } from "hono/html";
import { Kysely, SqliteDialect, sql } from "kysely";
import Driver from "libsql";

const driver = new Driver("records.db");
const db = new Kysely({ dialect: new SqliteDialect({ database: driver }) });
const app = new Hono();
const day = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeZone: "UTC" });
const number = new Intl.NumberFormat("en-GB", { maximumFractionDigits: 14 });
const labels = { blossom: "Blossom", forest: "Forest", heather: "Heather" };
const frames = new Map();

async function frame(query) {
  if (!frames.has(query)) {
    const page = await (await fetch(process.env.PAGE + query)).text();
    frames.set(
      query,
      [page.slice(0, page.indexOf("<tbody>") + 7), page.slice(page.indexOf("</tbody>"))].map(
        (part) => raw(part),
      ),
    );
  }
  return frames.get(query);
}

const slug = (text) => text.toLowerCase().replace(/[^a-z0-9]+/g, "-");

app.get("/harvests", async (c) => {
  const { apiary_id, sort, search, after } = c.req.query();
  let query = db.selectFrom("harvest");
  if (search) {
    const word = `%${search}%`;
    query = query.where(
      sql`(harvest.code like ${word} escape '\\' or harvest.sort like ${word} escape '\\' or harvest.apiary_id in (select id from apiary where name like ${word} escape '\\'))`,
    );
  }
  if (apiary_id) query = query.where("harvest.apiary_id", "=", Number(apiary_id));
  // Counted as far as the page says it.
  await db
    .selectFrom(query.select(sql`1`.as("found")).limit(10_001).as("counted"))
    .select(sql`count(*)`.as("total"))
    .executeTakeFirst();
  if (after) {
    query = query.where(
      sql`(harvest.date, harvest.id) < (select date, id from harvest where id = ${Number(after)})`,
    );
  }
  const rows = await query
    .selectAll("harvest")
    .select(sql`(select name from apiary where apiary.id = harvest.apiary_id)`.as("apiary"))
    .orderBy(sort === "-weight" ? "harvest.weight" : "harvest.date", "desc")
    .orderBy("harvest.id", "desc")
    .limit(25)
    .execute();
  const [head, foot] = await frame(new URL(c.req.url).search);
  const lines = rows.map(
    (row) =>
      html`<tr><td class="chosen"><input class="form-check-input" type="checkbox" form="rows" name="id" value="${row.id}" aria-label="Tick ${row.code}"/></td><td><a href="/harvests/${row.id}-${slug(row.code)}">${row.code}</a></td><td><a href="/apiaries/${row.apiary_id}-${slug(row.apiary)}">${row.apiary}</a></td><td>${day.format(new Date(`${row.date}T00:00:00Z`))}</td><td class="text-end">${number.format(row.weight)}\u00a0kg</td><td><span class="choice">${labels[row.sort]}</span></td></tr>`,
  );
  return c.html(html`${head}${lines}${foot}`);
});

// A search that goes through all rows keeps the others waiting for longer than idle connections are usually kept.
const serverOptions = { keepAliveTimeout: 120_000 };
const hostname = "127.0.0.1";
serve({ fetch: app.fetch, hostname, port: Number(process.env.PORT), serverOptions }, ({ port }) =>
  console.log(`http://127.0.0.1:${port}/`),
);
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => process.exit(0));
