import { execFileSync } from "node:child_process";
import {
  chmodSync,
  copyFileSync,
  cpSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { join } from "node:path";
import { Config } from "@oclif/core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { committedIn } from "../support/git.ts";
import { followGuide } from "../support/guide.ts";
import { levadura, repository, running, temporaryFolder } from "../support/program.ts";
import {
  administrator,
  answers,
  databaseOfOnesOwn,
  mariadb,
  postgres,
} from "../support/servers.ts";
import { textOf, Visitor } from "../support/visitor.ts";

/** The rows of the demo in a database of their own. */
async function demoIn(folder: string): Promise<void> {
  const demo = (file: string) => join(repository, "demo", file);
  copyFileSync(demo("model.yaml"), join(folder, "model.yaml"));
  const sheets = [demo("hive-book.xlsx"), demo("equipment.csv")];
  for (const command of [
    ["import", ...sheets, "--plan", demo("hive-book.plan.yaml"), "--yes"],
    ["prepare"],
    ["migrate"],
    ["import", "--yes"],
  ]) {
    const { status, err } = await levadura(command, folder);
    expect([status, err]).toEqual([0, ""]);
  }
}

/** The rule and the page that the reader wrote are in the application that runs. */
async function customised(folder: string): Promise<void> {
  const program = await running(["serve"], folder);
  const visitor = new Visitor(program.address);
  await visitor.submit("/hives/new", { code: "b-07", frames: "11" });
  expect(textOf((await visitor.get("/hives")).html)).toContain("B-07 not yet");
  const refused = await visitor.submit("/hives/new", { code: "b-0-" });
  expect([refused.status, textOf(refused.html)]).toEqual([
    422,
    expect.stringContaining("Add the number."),
  ]);
  expect(await program.stop()).toBe(0);
}

/** The demo, prepared, and the key of somebody who publishes it. */
async function toBePublished(folder: string): Promise<void> {
  await demoIn(folder);
  // Applications have accounts of their own where tests run as root.
  chmodSync(folder, 0o755);
  mkdirSync(join(folder, ".ssh"));
  const key = join(folder, ".ssh", "id_ed25519");
  execFileSync("ssh-keygen", ["-q", "-t", "ed25519", "-N", "", "-C", "ana@bees", "-f", key]);
}

/** The same as a repository, with a host beside it. */
async function toBeReviewed(folder: string): Promise<void> {
  await toBePublished(folder);
  expect(await levadura(["build"], folder)).toMatchObject({ status: 0 });
  const ignored = [
    "*.db*",
    ".env",
    "/data/",
    "/kept/",
    "/.levadura/run/",
    "/.ssh/",
    "/levadura-host/",
  ];
  writeFileSync(join(folder, ".gitignore"), `${ignored.join("\n")}\n`);
  committedIn(folder);
}

const nothing = async () => undefined;

/** The lines of the documents that are typed, and the examples of the commands. */
async function typedLines(): Promise<string[]> {
  const pages = ["README.md", "docs/import.md", "docs/sample-data.md", "docs/databases.md"];
  const blocks = pages.flatMap((name) => [
    ...readFileSync(join(repository, name), "utf8").matchAll(/```\n(.*?)```/gs),
  ]);
  const shown = blocks.flatMap(([, body = ""]) => body.match(/^levadura .*$/gm) ?? []);
  const { commands } = await Config.load(repository);
  const examples = commands.flatMap((command) =>
    (command.examples ?? []).flatMap((each) => (typeof each === "object" ? [each.command] : [])),
  );
  const lines = [...shown, ...examples].map((line) => line.replace(/\s+#.*/, ""));
  // What needs a host is in the guide to publishing, which is followed as a whole.
  return [...new Set(lines)].filter((line) => !/^levadura (publish|host)\b/.test(line));
}

/** A project in which all of these lines make sense: rows, a pending migration, a plan, and something that was kept. */
async function readyProject(folder: string): Promise<void> {
  await demoIn(folder);
  for (const name of ["hive-book.xlsx", "equipment.csv", "keepers.ods"])
    copyFileSync(join(repository, "demo", name), join(folder, name));
  writeFileSync(join(folder, "hives.csv"), "Code,Apiary\nX-1,Mill Meadow\n");
  const model = join(folder, "model.yaml");
  const text = readFileSync(model, "utf8");
  for (const command of [
    ["seed", "Harvest", "--empty-first", "--accept-loss", "Harvest", "--yes"],
    ["build"],
    ["import", "hives.csv", "--write-plan", "plan.yaml"],
    ["import", "keepers.ods", "--write-plan", "keepers.yaml"],
  ])
    expect(await levadura(command, folder)).toMatchObject({ status: 0 });
  writeFileSync(model, text.replace(/( {6}code: text 3\.\.10)/, "      mark: text\n$1"));
  expect(await levadura(["prepare"], folder)).toMatchObject({ status: 0 });
}

describe("a line of the documents", async () => {
  const there = (await answers(postgres)) && (await answers(mariadb));
  const ready = temporaryFolder(true);
  beforeAll(() => readyProject(ready));
  afterAll(() => rmSync(ready, { recursive: true, force: true }));

  it.each(await typedLines())("can be typed: %s", async (line) => {
    const folder = temporaryFolder();
    cpSync(ready, folder, { recursive: true });
    const [kept = ""] = readdirSync(join(folder, "kept"));
    // A reader puts in names of their own; and fewer rows show as well that it works.
    const [first = "", ...others] =
      line
        .replace(/restore \S+/, `restore ${kept}`)
        .replace(/(--to|rewind) 3/, "$1 1")
        .replace(/--rows \d{5,}/, "--rows 2000")
        .replace("keepers.ods --plan plan.yaml", "keepers.ods --plan keepers.yaml")
        .replace("0.0.0.0", "127.0.0.1")
        .replace(/ --port \d+| > .*/, "")
        .match(/'[^']*'|\S+/g)
        ?.map((word) => word.replace(/^'(.*)'$/, "$1")) ?? [];
    const [name = "", value = ""] = first.split("=");
    const args = value ? others.slice(1) : others;
    const [command = ""] = args;
    if (args.includes("--branch")) committedIn(folder);
    // A plan isn't written over another one.
    if (args.includes("--write-plan")) rmSync(join(folder, "plan.yaml"));
    if (line.includes("hive.notes")) {
      const model = join(folder, "model.yaml");
      const without = readFileSync(model, "utf8")
        .replace(/(\n {2}Hive:[\s\S]*?) {6}notes: long text\n/, "$1")
        .replace(/(\n {2}Hive:[\s\S]*?), notes\]/, "$1]");
      writeFileSync(model, without);
    }
    if (!["migrate", "changes", "prepare", "history"].includes(command)) {
      expect(await levadura(["migrate"], folder)).toMatchObject({ status: 0 });
    }
    if (["rise", "serve", "demo"].includes(command)) {
      const server = args.includes("postgres") ? postgres : mariadb;
      const needsServer = args.includes("--database");
      if (needsServer && !there) return;
      const own = databaseOfOnesOwn(server);
      const variables = needsServer ? { DATABASE_URL: own.url } : { [name]: value };
      const program = await running(args, folder, variables);
      expect(await program.stop()).toBe(0);
      if (needsServer) await administrator(server, `drop database ${own.name}`);
      return;
    }
    const asks = command === "rewind" || args.includes("--to") ? ["--yes"] : [];
    const { status, err } = await levadura(
      [...args, ...(args.includes("samples") ? [] : asks)],
      folder,
    );
    const writes = args.includes("--yes") || args.includes("--write-plan");
    const expected = line.includes("--check") ? 4 : command === "import" && !writes ? 5 : 0;
    expect([status, status === expected ? "" : err]).toEqual([expected, ""]);
  });
});

describe("a guide", () => {
  it.each([
    ["changes.md", demoIn, nothing],
    ["getting-started.md", nothing, nothing],
    ["untidy-sheets.md", nothing, nothing],
    ["customising.md", nothing, customised],
    ["sample-data.md", nothing, nothing],
    ["publishing.md", toBePublished, nothing],
    ["reviewing.md", toBeReviewed, nothing],
  ] as const)("%s shows what the commands say", async (name, begin, end) => {
    const path = join(repository, "docs", name);
    const folder = temporaryFolder();
    await begin(folder);
    const page = readFileSync(path, "utf8");
    const followed = await followGuide(page, folder);
    if (process.env.WRITE_GUIDE) writeFileSync(path, followed);
    else expect(page).toBe(followed);
    await end(folder);
  });
});
