import { spawn } from "node:child_process";
import { createHash } from "node:crypto";
import {
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { rowsOf } from "../support/database.ts";
import { levadura, projectWith, running, temporaryFolder } from "../support/program.ts";

const model = `levadura: 1
entities:
  Hive: {fields: {code: "text, required"}}
`;

describe("commands at work on one project", () => {
  it("take turns: two that follow the model, and others beside them", async () => {
    const folder = projectWith(
      "levadura: 1\nentities:\n  Hive:\n    fields:\n      code: text, required\n",
    );
    const path = join(folder, "model.yaml");
    const risen = await Promise.all([running(["rise"], folder), running(["rise"], folder)]);
    for (let round = 0; round < 4; round++) {
      const places = risen.map((each) => each.said().length);
      writeFileSync(path, `${readFileSync(path, "utf8")}      field_${round}: text\n`);
      const beside = [levadura(["build"], folder), levadura(["prepare"], folder)];
      await Promise.all(risen.map((each, at) => each.until(/Reloaded/, places[at])));
      for (const { status, err } of await Promise.all(beside))
        expect([status, err]).toEqual([0, ""]);
    }
    for (const each of risen) expect(await each.stop()).toBe(0);
    for (const each of risen) expect(each.said()).not.toMatch(/✗/);
    expect((await levadura(["migrate"], folder)).status).toBe(0);
    const { status, out } = await levadura(["changes", "--check"], folder);
    expect([status, out]).toEqual([0, expect.stringContaining("agree")]);
    const columns = rowsOf<{ name: string }>(
      join(folder, "records.db"),
      "select name from pragma_table_info('hive')",
    ).map(({ name }) => name);
    for (let round = 0; round < 4; round++) expect(columns).toContain(`field_${round}`);
    const numbers = readdirSync(join(folder, "migrations")).map((name) => name.slice(0, 4));
    expect(new Set(numbers).size).toBe(numbers.length);
  });

  it("are told who is at work; what died holds nothing", async () => {
    const folder = projectWith(model);
    expect((await levadura(["prepare"], folder)).status).toBe(0);
    const lock = join(folder, ".levadura/run/lock");
    const held = spawn(process.execPath, [
      "--input-type=module",
      "-e",
      `import Driver from ${JSON.stringify(import.meta.resolve("libsql"))};
       const lock = new Driver(${JSON.stringify(lock)});
       lock.exec("begin exclusive");
       console.log("held");
       setInterval(() => lock.inTransaction, 1000);`,
    ]);
    await new Promise((resolve) => held.stdout.once("data", resolve));
    const holder = { command: "import", process: held.pid, since: "2026-05-03T07:00:00Z" };
    writeFileSync(join(folder, ".levadura/run/lock.json"), JSON.stringify(holder));
    const refused = await levadura(["build"], folder);
    expect(refused.status).toBe(3);
    expect(refused.err).toContain(
      `\`levadura import\` (process ${held.pid}, since 2026-05-03T07:00:00Z) is using this project`,
    );
    expect(refused.err).toContain(`kill ${held.pid}`);
    held.kill("SIGKILL");
    await new Promise((resolve) => held.once("exit", resolve));
    expect((await levadura(["build"], folder)).status).toBe(0);
  });
});

describe("files outside a project", () => {
  /** A folder beside a project, with a file that nobody may touch. */
  function outside(): { folder: string; file: string } {
    const folder = temporaryFolder();
    const file = join(folder, "precious.txt");
    writeFileSync(file, "precious");
    return { folder, file };
  }

  const commands = [["build"], ["prepare"], ["migrate"], ["rewind", "--yes"], ["seed"], ["import"]];

  it("are never touched, whatever the record of generated files says", async () => {
    const root = temporaryFolder();
    const folder = join(root, "project");
    mkdirSync(folder);
    writeFileSync(join(folder, "model.yaml"), model);
    for (const command of ["prepare", "build"]) await levadura([command], folder);
    const precious = join(root, "precious.txt");
    writeFileSync(precious, "precious");
    const path = join(folder, ".levadura/generated/record.json");
    const record = JSON.parse(readFileSync(path, "utf8"));
    const checksum = "1e1ef50a7ab1b5bb5b9a9ff5f9ad1b7a2c80a9ac6fe4ad3ff0ecaa3a0f0ad9f4";
    const written = createHash("sha256").update("precious").digest("hex");
    for (const name of [
      "../../precious.txt",
      "src/../../../precious.txt",
      precious,
      "a\\..\\b",
      "",
      ".",
      "a//b",
    ]) {
      record.files[name] = { source: checksum, written };
    }
    writeFileSync(path, JSON.stringify(record));
    expect((await levadura(["build"], folder)).status).toBe(0);
    expect(readFileSync(precious, "utf8")).toBe("precious");
    writeFileSync(path, "{damaged");
    expect((await levadura(["build"], folder)).status).toBe(0);
  });

  it.each([
    "app",
    "app/src",
    "app/src/entities",
    "migrations",
    "kept",
    "data",
    ".levadura/generated",
  ])("are never written through a link: %s", async (name) => {
    const folder = projectWith(model);
    for (const command of ["prepare", "migrate", "build"]) await levadura([command], folder);
    const { folder: other, file } = outside();
    const place = join(folder, name);
    if (existsSync(place)) renameSync(place, join(other, "moved"));
    symlinkSync(existsSync(join(other, "moved")) ? join(other, "moved") : other, place);
    const before = JSON.stringify(readdirSync(other, { recursive: true }).sort());
    writeFileSync(
      join(folder, "model.yaml"),
      `${model.replace("}}", "").trimEnd()}, more: text}}\n`,
    );
    for (const command of name.startsWith("app/") ? [["build"]] : commands) {
      const { status, err } = await levadura(command, folder);
      expect(status, `${command}: ${err}`).not.toBe(0);
      expect(err).toMatch(/is a link that leads to .* outside the project/);
    }
    expect(JSON.stringify(readdirSync(other, { recursive: true }).sort())).toBe(before);
    expect(readFileSync(file, "utf8")).toBe("precious");
  });

  it("are never written through a link in the place of a generated file, or of its beginning", async () => {
    const folder = projectWith(model);
    for (const command of ["prepare", "build"]) await levadura([command], folder);
    const { file } = outside();
    for (const name of ["app/src/app.ts", "app/src/main.ts.levadura-new"]) {
      rmSync(join(folder, name), { force: true });
      symlinkSync(file, join(folder, name));
    }
    rmSync(join(folder, "app/src/main.ts"));
    expect((await levadura(["build", "--restore", "app/src/main.ts"], folder)).status).toBe(0);
    expect(readFileSync(file, "utf8")).toBe("precious");
    expect(lstatSync(join(folder, "app/src/main.ts")).isSymbolicLink()).toBe(false);
  });

  it("are never named by the kept rows of a script or of the database", async () => {
    const folder = projectWith(model);
    for (const command of ["prepare", "migrate"]) await levadura([command], folder);
    const { folder: other } = outside();
    const scripts = readdirSync(join(folder, "migrations"));
    const back = join(folder, "migrations", scripts[0] ?? "", "back.sqlite.sql");
    writeFileSync(
      back,
      `-- keep ../../../../..${other}/stolen of "hive": select * from hive;\n${readFileSync(back, "utf8")}`,
    );
    const { status, err } = await levadura(["rewind", "--yes"], folder);
    expect([status, err]).toEqual([
      1,
      expect.stringContaining("can't be the name of a file of kept rows"),
    ]);
    expect(readdirSync(other)).toEqual(["precious.txt"]);
  });
});

describe("files with rows", () => {
  it("are their owner's alone", async () => {
    const folder = projectWith(model);
    writeFileSync(join(folder, "hives.csv"), "code\nA-1\nA-2\n");
    rmSync(join(folder, "model.yaml"));
    for (const command of [
      ["import", "hives.csv", "--yes"],
      ["prepare"],
      ["migrate"],
      ["import", "--yes"],
      ["rewind", "--yes"],
    ]) {
      expect(await levadura(command, folder)).toMatchObject({ status: 0 });
    }
    const paths = ["records.db", "data", "data/Hive.csv", "kept"];
    const kept = readdirSync(join(folder, "kept"), { recursive: true }).map(
      (name) => `kept/${name}`,
    );
    expect(kept.length).toBeGreaterThan(1);
    for (const path of [...paths, ...kept]) {
      expect([path, statSync(join(folder, path)).mode & 0o077]).toEqual([path, 0]);
    }
  });
});
