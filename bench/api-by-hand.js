// What an engineer would write by hand for this one list of JSON: the same framework, driver and query, with the
// parameters checked, and the next page by key.
import { serve } from "@hono/node-server";
import { Hono } from "hono";
import { Kysely, SqliteDialect, sql } from "kysely";
import Driver from "libsql";

const db = new Kysely({ dialect: new SqliteDialect({ database: new Driver("records.db") }) });
const app = new Hono();
const columns = new Set(["code", "apiary", "date", "weight", "sort"]);

app.get("/-/api/harvests", async (c) => {
  const query = new URL(c.req.url).searchParams;
  const wrong = [...query.keys()].find(
    (name) => !["sort", "size", "after", "apiary_id"].includes(name),
  );
  const size = Number(query.get("size") ?? 50);
  const sort = query.get("sort") ?? "-date";
  const isWrong = wrong !== undefined || !(size >= 1 && size <= 500);
  if (isWrong || !columns.has(sort.replace(/^-/, ""))) return c.json({ wrong }, 400);
  const column = sort.replace(/^-/, "");
  let rows = db.selectFrom("harvest");
  const apiary = query.get("apiary_id");
  if (apiary) rows = rows.where("harvest.apiary_id", "=", Number(apiary));
  const after = query.get("after");
  if (after) {
    rows = rows.where(
      sql`(harvest.date, harvest.id) < (select date, id from harvest where id = ${Number(after)})`,
    );
  }
  const found = await rows
    .selectAll("harvest")
    .select(sql`(select name from apiary where apiary.id = harvest.apiary_id)`.as("apiary"))
    .orderBy(`harvest.${column}`, "desc")
    .orderBy("harvest.id", "desc")
    .limit(size + 1)
    .execute();
  const told = found.slice(0, size).map((row) => ({
    id: row.id,
    version: row.version,
    created_at: row.created_at,
    updated_at: row.updated_at,
    displayTitle: row.code,
    code: row.code,
    apiary_id: row.apiary_id,
    apiary: row.apiary === null ? null : { id: row.apiary_id, displayTitle: row.apiary },
    date: row.date,
    weight: row.weight,
    sort: row.sort,
  }));
  let next = null;
  if (found.length > size) {
    query.set("after", String(told.at(-1).id));
    next = `/-/api/harvests?${query}`;
    c.header("link", `<${next}>; rel="next"`);
  }
  return c.json({ rows: told, next });
});

const serverOptions = { keepAliveTimeout: 120_000 };
const hostname = "127.0.0.1";
serve({ fetch: app.fetch, hostname, port: Number(process.env.PORT), serverOptions }, ({ port }) =>
  console.log(`http://127.0.0.1:${port}/`),
);
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => process.exit(0));
