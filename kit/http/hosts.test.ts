import { Hono } from "hono";
import { afterEach, describe, expect, it } from "vitest";
import { knownHosts } from "./hosts.ts";

describe("hosts", () => {
  afterEach(() => {
    delete process.env.HOST;
    delete process.env.HOST_NAMES;
  });
  const status = async (host: string) => {
    const app = new Hono().use(knownHosts()).get("/", (c) => c.text("in"));
    return (await app.request("/", { headers: { host } })).status;
  };

  it.each([
    ["localhost", 200],
    ["LOCALHOST:3000", 200],
    ["127.0.0.1:80", 200],
    ["[::1]:3000", 200],
    ["evil.example", 421],
    ["localhost.evil.example", 421],
    ["127.0.0.1.evil.example:3000", 421],
    ["", 421],
  ])("%j gets %i", async (host, expected) => {
    expect(await status(host)).toBe(expected);
  });

  it("are those of this machine, the one listened on, and those that are allowed by name", async () => {
    process.env.HOST = "192.0.2.7";
    process.env.HOST_NAMES = "bees.example, Hives.example";
    expect([
      await status("192.0.2.7:3000"),
      await status("bees.example"),
      await status("hives.example:80"),
      await status("other.example"),
    ]).toEqual([200, 200, 200, 421]);
  });
});
