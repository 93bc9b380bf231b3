import { Hono } from "hono";
import { afterEach, expect, it } from "vitest";
import { protectiveHeaders } from "./headers.ts";
import { knownHosts } from "./hosts.ts";
import { sameOrigin } from "./origin.ts";
import { originFor } from "./public-address.ts";

afterEach(() => {
  delete process.env.PUBLIC_ADDRESS;
});

async function sent(host: string, origin: string) {
  const app = new Hono()
    .use(knownHosts(), protectiveHeaders(), sameOrigin())
    .post("/", (c) => c.text(originFor(c.req.url)));
  const answer = await app.request(`http://${host}/`, {
    method: "POST",
    headers: { host, origin, "content-type": "application/x-www-form-urlencoded" },
    body: "a=1",
  });
  return [
    answer.status,
    answer.status === 200 ? await answer.text() : "",
    answer.headers.get("strict-transport-security"),
  ];
}

it("the public address is a host and an origin of the application, and HTTPS from then on", async () => {
  expect(await sent("bees.example", "https://bees.example")).toEqual([421, "", null]);
  expect(await sent("localhost", "https://bees.example")).toEqual([403, "", null]);
  expect(await sent("localhost", "http://localhost")).toEqual([200, "http://localhost", null]);
  process.env.PUBLIC_ADDRESS = "https://bees.example";
  const year = "max-age=31536000";
  expect(await sent("bees.example", "https://bees.example")).toEqual([
    200,
    "https://bees.example",
    year,
  ]);
  expect((await sent("bees.example", "https://evil.example"))[0]).toBe(403);
  expect((await sent("evil.example", "https://evil.example"))[0]).toBe(421);
  process.env.PUBLIC_ADDRESS = "http://192.0.2.7:8080";
  expect(await sent("192.0.2.7", "http://192.0.2.7:8080")).toEqual([
    200,
    "http://192.0.2.7:8080",
    null,
  ]);
});
