import { connect } from "node:net";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { levadura, projectWith, type Running, running } from "../support/program.ts";

describe("clients that take their time", () => {
  let server: Running;
  beforeAll(async () => {
    const folder = projectWith("levadura: 1\nentities: {Hive: {fields: {code: text}}}\n", true);
    for (const command of ["prepare", "migrate", "build"]) await levadura([command], folder);
    server = await running(["serve"], folder);
  });
  afterAll(() => server.stop());

  /** Sends a beginning, then a little every second; how many seconds it takes until the connection is ended. */
  function secondsUntilEnd(begin: string, more: string): Promise<number> {
    const { port } = new URL(server.address);
    const begun = Date.now();
    return new Promise((resolve) => {
      const socket = connect(Number(port), "127.0.0.1", () => socket.write(begin));
      const timer = setInterval(() => socket.write(more), 1000);
      socket.on("error", () => undefined);
      socket.resume();
      socket.on("close", () => {
        clearInterval(timer);
        resolve((Date.now() - begun) / 1000);
      });
      setTimeout(() => socket.destroy(), 90_000).unref();
    });
  }

  it("don't keep a connection: not by headers, not by a body, not by silence", async () => {
    const { host } = new URL(server.address);
    const head = `POST /hives/new HTTP/1.1\r\nhost: ${host}\r\norigin: ${server.address}\r\n`;
    const form = `${head}content-type: application/x-www-form-urlencoded\r\ncontent-length: 100000\r\n\r\n`;
    const [headers, body, idle] = await Promise.all([
      secondsUntilEnd("GET / HTTP/1.1\r\nhost: localhost\r\n", "x-a: b\r\n"),
      secondsUntilEnd(form, "code=x&"),
      secondsUntilEnd("GET / HTTP/1.1\r\nhost: localhost\r\n\r\n", ""),
    ]);
    expect(headers).toBeLessThan(20);
    expect(body).toBeLessThan(45);
    expect(idle).toBeLessThan(20);
  });
});
