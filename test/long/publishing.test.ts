import { execFileSync, spawnSync } from "node:child_process";
import { cpSync, existsSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeAll, expect, test } from "vitest";
import { rowsOf } from "../support/database.ts";
import { hostFor, type TestHost } from "../support/host.ts";
import { levadura, projectWith, temporaryFolder } from "../support/program.ts";
import { Visitor } from "../support/visitor.ts";

const model = `levadura: 1
app:
  name: Hive Book
  database: sqlite
entities:
  Hive:
    title: "{code}"
    fields:
      code: text 2..20, required, unique
      weight: integer
`;

let host: TestHost;
let ready: string;

beforeAll(async () => {
  host = await hostFor();
  ready = projectWith(model, true);
  await change(ready, (same) => same);
  // Its package is made once: the packages in it are those of all projects.
  await host.published(ready, ["", "--open-to-everyone", "--as", "first"]);
});

afterAll(async () => {
  await host.program().stop();
  rmSync(ready, { recursive: true, force: true });
});

/** A project that was prepared and built, and has a name on the host. */
function projectOf(name: string): string {
  const folder = temporaryFolder();
  cpSync(ready, folder, { recursive: true });
  const target = { host: new URL(host.address("x")).href.replace("x.", "").slice(0, -1), name };
  writeFileSync(join(folder, ".levadura", "published.json"), JSON.stringify(target));
  return folder;
}

/** Changes the model of a project, and prepares and builds what follows. */
async function change(folder: string, edit: (text: string) => string): Promise<void> {
  const file = join(folder, "model.yaml");
  writeFileSync(file, edit(readFileSync(file, "utf8")));
  for (const command of ["prepare", "build"]) {
    expect(await levadura([command], folder)).toMatchObject({ status: 0 });
  }
}

const addHive = (base: string, code: string, more: Record<string, string> = {}) =>
  new Visitor(base).post("/hives/new", { code, ...more });

const codesIn = (name: string) =>
  rowsOf<{ code: string }>(
    join(host.folder, "applications", name, "data", "records.db"),
    "select code from hive order by code",
  ).map(({ code }) => code);

let loads = 0;

/** Asks for a page, over and over, until it is ended; gives how many answers weren't as they should be. */
function asking(
  base: string,
  clients: number,
): { end(): Promise<{ asked: number; bad: string[] }> } {
  const load = ++loads;
  let isOver = false;
  let asked = 0;
  const bad: string[] = [];
  const all = Array.from({ length: clients }, async (_, client) => {
    for (let turn = 0; !isOver; turn++) {
      const answer = await (turn % 5 === 4
        ? addHive(base, `L-${load}-${client}-${turn}`)
        : new Visitor(base).get("/hives")
      ).catch((error: Error) => ({ status: 0, html: String(error.cause ?? error) }));
      asked++;
      // People read what they get.
      await new Promise((done) => setTimeout(done, 400));
      if (answer.status !== 200) bad.push(`${answer.status} ${answer.html.slice(0, 200)}`);
    }
  });
  return {
    end: async () => {
      isOver = true;
      await Promise.all(all);
      return { asked, bad };
    },
  };
}

test("an application is published, changed under load, rolled back and published again, and nothing is lost", async () => {
  const project = projectOf("changed");
  const base = host.address("changed");

  // Nobody signs in to it, and so it has to be said that everybody may.
  expect(await host.publish(project)).toMatchObject({
    status: 2,
    err: expect.stringContaining("nobody signs in to this application"),
  });
  const first = await host.publish(project, ["", "--open-to-everyone"]);
  expect(first).toMatchObject({ status: 0, out: expect.stringContaining(`${base}/`) });
  expect((await addHive(base, "H-1")).html).toContain("H-1");

  // A field more: the version that runs can go on meanwhile.
  await change(project, (text) => `${text}      town: text\n`);
  let load = asking(base, 50);
  const second = await host.publish(project, ["", "--open-to-everyone"]);
  expect(second).toMatchObject({ status: 0, out: expect.stringContaining("Applied 0002-") });
  expect(second.out).not.toContain("waited");
  let loaded = await load.end();
  expect(loaded.bad).toEqual([]);
  expect(loaded.asked).toBeGreaterThan(50);
  expect((await addHive(base, "H-2", { town: "Alder" })).html).toContain("Alder");

  // Another name for a field: both versions can't be on the database at once, so requests wait.
  await change(project, (text) => text.replace("weight: integer", "mass: integer, was weight"));
  load = asking(base, 50);
  const third = await host.publish(project, ["", "--open-to-everyone"]);
  expect(third).toMatchObject({
    status: 0,
    out: expect.stringMatching(/Requests waited for [\d.]+ s/),
  });
  loaded = await load.end();
  expect(loaded.bad).toEqual([]);
  const status = (await host.published(project, ["status"])) as { versions: { by: string }[] };
  expect(status).toMatchObject({ current: 3, state: "runs", title: "Hive Book" });
  expect(status.versions.map(({ by }) => by)).toEqual(["ana@bees", "ana@bees", "ana@bees"]);

  // A version that can't start leaves the old one, on the database that it knows.
  await change(project, (text) => `${text}      notes: long text, required, default none\n`);
  const main = join(project, "app/src/main.ts");
  const good = readFileSync(main, "utf8");
  writeFileSync(main, `${good}\nthrow new Error("it never starts");\n`);
  load = asking(base, 10);
  expect(await host.publish(project, ["", "--open-to-everyone"])).toMatchObject({
    status: 3,
    err: expect.stringContaining("it never starts"),
  });
  expect((await load.end()).bad).toEqual([]);
  expect(await host.published(project, ["status"])).toMatchObject({ current: 3, state: "runs" });
  writeFileSync(main, good);
  await host.published(project, ["", "--open-to-everyone"]);
  const all = codesIn("changed");
  const edited = await new Visitor(base).submit("/hives/1/edit", {
    code: "H-1",
    notes: "by the road",
  });
  expect([edited.path, edited.html]).toEqual([
    "/hives/1-h-1",
    expect.stringContaining("by the road"),
  ]);

  // Back to the version before: the rows of today stay, and what its field had is kept.
  const back = await host.publish(project, ["rollback"]);
  expect(back).toMatchObject({ status: 0, out: expect.stringContaining("Version 3 is at") });
  expect(back.out).toContain("Reverted 0004-");
  expect((await new Visitor(base).get("/hives/1")).html).not.toContain("by the road");
  expect(codesIn("changed")).toEqual(all);
  // ... and comes back with the version that has it.
  await host.published(project, ["", "--open-to-everyone"]);
  expect((await new Visitor(base).get("/hives/1")).html).toContain("by the road");

  // Back with the data: what was entered since is in the backup only.
  await addHive(base, "H-3", { notes: "new" });
  const refused = await host.publish(project, ["rollback", "--data"]);
  expect(refused).toMatchObject({ status: 2, err: expect.stringContaining("nothing was changed") });
  expect(codesIn("changed")).toContain("H-3");
  expect(await host.publish(project, ["rollback", "--data", "--yes"])).toMatchObject({ status: 0 });
  expect(codesIn("changed")).toEqual(all);
  expect((await new Visitor(base).get("/hives")).status).toBe(200);
  expect(await host.publish(project, ["rollback", "--to", "99"])).toMatchObject({
    status: 2,
    err: expect.stringContaining("there is no version 99"),
  });
});

test("a host that is killed while it publishes goes on with the version from before", async () => {
  const project = projectOf("killed");
  const base = host.address("killed");
  await host.published(project, ["", "--open-to-everyone"]);
  await addHive(base, "H-1");
  await change(project, (text) => text.replace("weight: integer", "mass: integer, was weight"));
  // It starts, but never answers.
  const main = join(project, "app/src/main.ts");
  writeFileSync(
    main,
    `await new Promise((done) => setTimeout(done, 20_000));\n${readFileSync(main, "utf8")}`,
  );
  const publishing = host.publish(project, ["", "--open-to-everyone"]);
  const columns = () =>
    rowsOf<{ name: string }>(
      join(host.folder, "applications/killed/data/records.db"),
      "select name from pragma_table_info('hive')",
    ).map(({ name }) => name);
  await expect.poll(columns, { timeout: 60_000 }).toContain("mass");
  host.program().child.kill("SIGKILL");
  expect(await publishing).toMatchObject({
    status: 3,
    err: expect.stringContaining("can't be reached"),
  });
  // Applications end with their host.
  await expect.poll(() => host.processes("").length, { timeout: 60_000 }).toBe(0);
  await host.start();
  expect(columns()).toContain("weight");
  expect((await new Visitor(base).get("/hives")).html).toContain("H-1");

  // One that dies is started again, and who asks meanwhile waits.
  const [{ pid } = { pid: 0 }] = host.processes("killed");
  process.kill(pid, "SIGKILL");
  expect((await new Visitor(base).get("/hives")).status).toBe(200);
  expect(await host.published(project, ["status"])).toMatchObject({ state: "runs", restarts: 1 });
  const logs = await host.publish(project, ["logs", "--lines", "50"]);
  expect(logs.out).toMatch(/host: version 1 ended by a signal; it is started again/);
});

test("a preview has rows, an address, a password and an end of its own", async () => {
  const project = projectOf("shown");
  await host.published(project, ["", "--open-to-everyone"]);
  await addHive(host.address("shown"), "Real-1");

  const sample = await host.published(project, ["", "--preview"]);
  const copy = await host.published(project, ["", "--preview", "--rows", "copy", "--days", "2"]);
  for (const [{ address, password, until }, days, wanted] of [
    [sample, 7, /Real-1/],
    [copy, 2, /Real-1/],
  ] as const) {
    expect(Date.parse(String(until)) - Date.now()).toBeLessThan(days * 86_400_000);
    const asked = (authorization?: string) =>
      fetch(`${address}hives`, authorization ? { headers: { authorization } } : {});
    expect((await asked()).status).toBe(401);
    expect((await asked(`Basic ${btoa("ana:wrong")}`)).status).toBe(401);
    const answer = await asked(`Basic ${btoa(`ana:${password}`)}`);
    expect(answer.status).toBe(200);
    const html = await answer.text();
    if (days === 2) expect(html).toMatch(wanted);
    else expect(html).not.toMatch(wanted);
    const name = new URL(String(address)).hostname.split(".")[0] ?? "";
    expect(codesIn(name).length).toBeGreaterThan(0);
  }
  const names = [sample, copy].map(
    ({ address }) => new URL(String(address)).hostname.split(".")[0] ?? "",
  );
  expect(await host.published(project, ["status"])).toMatchObject({
    previews: expect.arrayContaining(names.map((name) => expect.objectContaining({ name }))),
  });
  const [ended = "", late = ""] = names;
  const end = ["publish", "end", ended, "--key", host.key];
  expect(await levadura(end, project)).toMatchObject({ status: 0 });
  expect((await fetch(`${host.address(ended)}/`)).status).toBe(404);
  // The application itself can't be ended so.
  expect(await levadura(["publish", "end", "shown", "--key", host.key], project)).toMatchObject({
    status: 2,
  });
  // Its time is over while the host was down.
  await host.program().stop();
  const record = join(host.folder, "applications", late, "application.json");
  const over = { ...JSON.parse(readFileSync(record, "utf8")) };
  over.preview.until = new Date(Date.now() - 1000).toISOString();
  writeFileSync(record, JSON.stringify(over));
  await host.start();
  await expect
    .poll(async () => (await fetch(`${host.address(late)}/`)).status, { timeout: 90_000 })
    .toBe(404);
});

test("only whoever has an admitted key may publish, and what is sent is checked", async () => {
  const project = projectOf("guarded");
  const other = join(temporaryFolder(), "other");
  execFileSync("ssh-keygen", ["-q", "-t", "ed25519", "-N", "", "-f", other]);
  const at = new URL(host.address("x")).port;
  expect(await levadura(["publish", `localhost:${at}`, "--key", other], project)).toMatchObject({
    status: 2,
    err: expect.stringContaining("the host doesn't know the key"),
  });
  expect(
    await levadura(["publish", "http://bees.example", "--key", host.key], project),
  ).toMatchObject({
    status: 2,
    err: expect.stringContaining("by https"),
  });
  const own = `http://localhost:${at}`;
  for (const path of ["applications", "applications/x/log", "uploads", "uploads/x/publish"]) {
    expect(
      (await fetch(`${own}/-/${path}`, { method: path.includes("up") ? "POST" : "GET" })).status,
    ).toBe(401);
  }
  // A signature for another host is good for that host only.
  const { challenge } = (await (await fetch(`${own}/-/challenges`, { method: "POST" })).json()) as {
    challenge: string;
  };
  const origin = "https://other.example";
  const signature = execFileSync(
    "ssh-keygen",
    ["-q", "-Y", "sign", "-n", "levadura-host", "-f", host.key],
    { input: `I sign in to the host ${origin}\n${challenge}\n`, encoding: "utf8" },
  );
  const signed = await fetch(`${own}/-/sessions`, {
    method: "POST",
    body: JSON.stringify({ challenge, origin, signature }),
  });
  expect(signed.status).toBe(401);

  // What was changed on the way isn't taken, and nothing outside the place of the package is written.
  const session = await sessionAt(own, host.key);
  const headers = { authorization: `Bearer ${session}`, "content-type": "application/json" };
  const announce = async (path: string) =>
    fetch(`${own}/-/uploads`, {
      method: "POST",
      headers,
      body: JSON.stringify({
        name: "guarded",
        open: true,
        package: {
          title: "Hive Book",
          database: "sqlite",
          signsIn: false,
          platform: "linux",
          levadura: "0",
          migrations: [],
          files: [{ path, digest: "0".repeat(64), size: 6 }],
        },
      }),
    });
  for (const path of ["../outside", "/etc/outside", "a/../../outside", "a\\b", "a\u0000"]) {
    expect((await announce(path)).status).toBe(400);
  }
  const { id } = (await (await announce("dist/main.mjs")).json()) as { id: string };
  const folder = temporaryFolder();
  writeFileSync(join(folder, "main"), "wrong!");
  const body = execFileSync("tar", ["-cz", "--transform=s#main#dist/main.mjs#", "main"], {
    cwd: folder,
  });
  const put = await fetch(`${own}/-/uploads/${id}`, { method: "PUT", headers, body });
  expect(await put.json()).toMatchObject({
    message: expect.stringContaining("didn't arrive as it was sent"),
  });
  const publish = await fetch(`${own}/-/uploads/${id}/publish`, { method: "POST", headers });
  expect(publish.status).toBe(400);

  for (const body of ["", "null", "[]", '{"name":1}', "{"]) {
    const options = { method: "POST", headers, body };
    expect((await fetch(`${own}/-/uploads`, options)).status).toBe(400);
  }

  // A secret goes to the application, and to nobody else.
  await host.published(project, ["", "--open-to-everyone"]);
  const set = await host.publish(
    project,
    ["secrets", "--set", "SMTP_URL"],
    "smtps://a:b@mail.example\n",
  );
  expect(set).toMatchObject({ status: 0 });
  expect(await host.published(project, ["secrets"])).toEqual({ secrets: ["SMTP_URL"] });
  const [{ pid } = { pid: 0 }] = host.processes("guarded");
  const variables = readFileSync(`/proc/${pid}/environ`, "utf8").split("\0");
  expect(variables).toContain("SMTP_URL=smtps://a:b@mail.example");
  expect(variables.map((line) => line.split("=")[0])).not.toContain("HOST_POSTGRES");
  expect(readFileSync(join(host.folder, "host.log"), "utf8")).not.toContain("mail.example");
  expect(await host.publish(project, ["secrets", "--set", "PATH"], "x")).toMatchObject({
    status: 2,
  });

  // Who is shut out is so at once.
  const keys = join(host.folder, "keys");
  const admitted = readFileSync(keys, "utf8");
  writeFileSync(keys, "");
  expect((await fetch(`${own}/-/applications`, { headers })).status).toBe(401);
  writeFileSync(keys, admitted);
  expect((await fetch(`${own}/-/applications`, { headers })).status).toBe(200);
});

test.runIf(process.getuid?.() === 0)(
  "an application reads nothing that belongs to the host or to another one",
  async () => {
    const project = projectOf("apart");
    await host.published(project, ["", "--open-to-everyone"]);
    const at = (...path: string[]) => join(host.folder, ...path);
    const account = (name: string): number =>
      JSON.parse(readFileSync(at("applications", name, "application.json"), "utf8")).account;
    const uid = account("apart");
    expect(uid).not.toBe(account("first"));
    const tries = (code: string) =>
      spawnSync(process.execPath, ["-e", code], { uid, gid: uid, cwd: "/", encoding: "utf8" });
    const reads = (file: string) => tries(`fs.readFileSync(${JSON.stringify(file)})`).status;
    expect(reads(at("applications", "apart", "data", "records.db"))).toBe(0);
    expect(reads(at("applications", "apart", "versions", "0001", "dist", "main.mjs"))).toBe(0);
    for (const file of [
      at("keys"),
      at("host.log"),
      at("applications", "apart", "secrets.json"),
      at("applications", "apart", "application.json"),
      at("applications", "apart", "log", "application.log"),
      at("applications", "first", "data", "records.db"),
      at("applications", "first", "versions", "0001", "dist", "main.mjs"),
    ]) {
      expect([file, reads(file)]).toEqual([file, 1]);
    }
    const written = at("applications", "apart", "versions", "0001", "dist", "main.mjs");
    expect(tries(`fs.appendFileSync(${JSON.stringify(written)}, "x")`).status).toBe(1);

    // A link that it makes leads a backup nowhere that it can't go itself.
    const link = at("applications", "apart", "data", "files");
    expect(tries(`fs.symlinkSync(${JSON.stringify(at())}, ${JSON.stringify(link)})`).status).toBe(
      0,
    );
    const again = await host.publish(project, ["", "--open-to-everyone"]);
    expect(again.out + again.err).not.toMatch(/keys|host\.log/);
    const { backups } = (await host.published(project, ["status"])) as {
      backups: { name: string }[];
    };
    for (const { name } of backups) {
      expect(existsSync(at("applications", "apart", "backups", name, "files", "keys"))).toBe(false);
    }
  },
);

async function sessionAt(own: string, key: string): Promise<string> {
  const { challenge } = (await (await fetch(`${own}/-/challenges`, { method: "POST" })).json()) as {
    challenge: string;
  };
  const signature = execFileSync(
    "ssh-keygen",
    ["-q", "-Y", "sign", "-n", "levadura-host", "-f", key],
    {
      input: `I sign in to the host ${own}\n${challenge}\n`,
      encoding: "utf8",
    },
  );
  const response = await fetch(`${own}/-/sessions`, {
    method: "POST",
    body: JSON.stringify({ challenge, origin: own, signature }),
  });
  return ((await response.json()) as { session: string }).session;
}
