import { execFileSync } from "node:child_process";
import { setTimeout as sleep } from "node:timers/promises";
import { expect, it } from "vitest";
import { freePort, levadura, projectWith, type Running, running } from "../support/program.ts";

const model = "levadura: 1\nentities: {Hive: {fields: {code: text}}}\n";

/** The processes of the application that a command runs. */
function children({ child }: Running): number[] {
  const found = execFileSync("pgrep", ["-P", String(child.pid), "node"], { encoding: "utf8" });
  return found.trim().split("\n").map(Number);
}

async function answering(address: string): Promise<number> {
  for (let attempt = 0; attempt < 100; attempt++) {
    const status = await fetch(address).then(
      (answer) => answer.status,
      () => 0,
    );
    if (status > 0) return status;
    await sleep(100);
  }
  return 0;
}

it.each(["serve", "rise"])(
  "%s starts an application again that died, and says so",
  async (command) => {
    const folder = projectWith(model);
    for (const step of ["prepare", "migrate", "build"]) await levadura([step], folder);
    // A port that no other test takes while the application is away.
    const server = await running([command, "--port", await freePort()], folder);
    for (const pause of ["0.25 s", "0.5 s"]) {
      const from = server.said().length;
      const [pid] = children(server);
      process.kill(pid ?? 0, "SIGKILL");
      await server.until(`ended by a signal. It restarts in ${pause}.`, from);
      expect(await answering(`${server.address}/hives`)).toBe(200);
    }
    expect(await server.stop()).toBe(0);
  },
);

it("hands the signal to stop on, and lets the application finish what it is at", async () => {
  const folder = projectWith(model);
  for (const step of ["prepare", "migrate", "build"]) await levadura([step], folder);
  for (const signal of ["SIGTERM", "SIGINT", "SIGHUP"] as const) {
    const server = await running(["serve"], folder);
    const [pid] = children(server);
    const ended = new Promise((resolve) => server.child.once("exit", resolve));
    server.child.kill(signal);
    expect(await ended).toBe(0);
    expect(() => process.kill(pid ?? 0, 0)).toThrow();
    expect(server.said()).not.toContain("started again");
  }
});
