// What an engineer would write by hand for completing a lookup: the same framework and driver, and the query by its index.
import { serve } from "@hono/node-server";
import { Hono } from "hono";
import Driver from "libsql";

const driver = new Driver("records.db");
const order = "coalesce(name__order, lower(name))";
const query = driver.prepare(
  `select id, name as title from apiary where ${order} >= ? and ${order} < ? order by ${order}, id limit 12`,
);
const app = new Hono();
app.post("/visits/new/offers", async (c) => {
  const { _words: words = "" } = await c.req.parseBody();
  const low = String(words).toLowerCase();
  return c.json(query.all(low, `${low}\u{10ffff}`));
});
app.get("/", (c) => c.text(String(driver.prepare("select 1 as one").get().one)));
const port = Number(process.env.PORT);
serve({ fetch: app.fetch, hostname: "127.0.0.1", port }, (at) =>
  console.log(`http://127.0.0.1:${at.port}/`),
);
for (const signal of ["SIGINT", "SIGTERM"]) process.on(signal, () => process.exit(0));
