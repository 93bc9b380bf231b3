import { execFileSync } from "node:child_process";
import {
  chownSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  writeFileSync,
} from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { rowsOf } from "./support/database.ts";
import { levadura, projectWith, repository, running, temporaryFolder } from "./support/program.ts";
import { Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite}
entities:
  Hive: {fields: {code: "text, required, unique"}}
  Keeper: {fields: {name: "text, required"}}
`;

/** Why completion can't be tried in every shell here; under NO_SKIPS that is a failure. */
const noShells = ["zsh", "fish"].some((shell) => !existsSync(`/usr/bin/${shell}`))
  ? "needs Debian's packages zsh and fish"
  : undefined;
if (noShells && process.env.NO_SKIPS) throw new Error(noShells);

const commands = readdirSync(join(repository, "src/cli/commands")).map((name) =>
  name.replace(".ts", ""),
);

describe("help", () => {
  it("lists every command and the exit statuses, however it is asked for", async () => {
    const first = await levadura(["help"], repository);
    expect([first.status, first.err]).toEqual([0, ""]);
    for (const command of commands) expect(first.out).toMatch(new RegExp(`^  ${command} `, "m"));
    for (const status of ["0", "1", "2", "3", "4", "5"])
      expect(first.out).toMatch(new RegExp(`^  ${status} `, "m"));
    expect(first.out).not.toMatch(/USAGE|FLAGS/);
    for (const asked of [[], ["-h"], ["--help"]])
      expect(await levadura(asked, repository)).toEqual(first);
  });

  it.each(commands)(
    "of %s has a summary, its options and an example that can be typed",
    async (command) => {
      const page = await levadura(["help", command], repository);
      expect(page.status).toBe(0);
      expect(page.out).toMatch(new RegExp(`^levadura ${command}  [a-z]`));
      const [, examples = ""] = page.out.split(/^Examples?$/m);
      const lines = [...examples.matchAll(/^ {2}(\S.*)$/gm)].map(([, line = ""]) => line);
      expect(lines.length).toBeGreaterThan(0);
      for (const line of lines) expect(line).toContain("levadura ");
      // A line of text is there once.
      const said = page.out.split("\n").filter((line) => line.trim().length > 30);
      expect(new Set(said).size).toBe(said.length);
      expect(Math.max(...page.out.split("\n").map(({ length }) => length))).toBeLessThanOrEqual(80);
      for (const asked of [
        [command, "-h"],
        [command, "--help"],
      ])
        expect(await levadura(asked, repository)).toEqual(page);
    },
  );

  it("is a manual page, too", () => {
    const manual = readFileSync(join(repository, "dist/levadura.1"), "utf8");
    for (const command of commands) expect(manual).toContain(`.SS levadura ${command}`);
    expect(manual).toContain("DATABASE_URL");
  });

  it("has the version by each of its names", async () => {
    const { version } = JSON.parse(readFileSync(join(repository, "package.json"), "utf8"));
    for (const asked of ["-v", "--version", "version"])
      expect(await levadura([asked], repository)).toMatchObject({ out: `levadura/${version}\n` });
  });
});

describe("a mistyped line", () => {
  it.each([
    [["chek"], "there is no command `chek`", "did you mean `levadura check`?"],
    [["constructor"], "there is no command `constructor`", "`levadura help` lists the commands"],
    [["rollback"], "there is no command `rollback`", "did you mean `levadura rewind`?"],
    [["help", "sed"], "there is no command `sed`", "did you mean `levadura seed`?"],
    [["prepare", "--accept-los", "x"], "has no option --accept-los", "did you mean --accept-loss?"],
    [["check", "stray"], "could do with `stray`", "`levadura check --help` shows what it takes"],
    [["begin"], "`levadura begin` needs DIR", "`levadura begin --help`"],
    [["serve", "--port", "abc"], "--port abc: this has to be a whole number", ""],
    [["serve", "--port", "70000"], "--port 70000: the most is 65,535", ""],
    [
      ["seed", "--to", "x", "--as", "jso"],
      "this has to be one of csv, json, sql",
      "did you mean json?",
    ],
    [["prepare", "--discard-edits"], "--discard-edits only works together with --rewrite", ""],
    [["--port", "3"], "--port has to follow a command", "`levadura help` lists the commands"],
  ])(
    "such as %j says what is wrong and what to type, to people and to scripts",
    async (line, message, help) => {
      const folder = projectWith(model);
      const { status, out, err } = await levadura(line, folder);
      expect([status, out]).toEqual([2, ""]);
      expect(err).toMatch(/^✗ [^\n]+\n( {2}[^\n]+\n)?$/);
      expect(err).toContain(message);
      expect(err).toContain(help);
      const read = await levadura([...line, "--json"], folder);
      expect([read.status, read.err]).toEqual([2, ""]);
      expect(JSON.parse(read.out)).toMatchObject({ error: expect.stringContaining(message) });
    },
  );

  it("reaches no terminal as an order, and a script as it was", async () => {
    const typed = "\u009b31m\u202echek";
    const { out } = await levadura([typed, "--json"], projectWith(model));
    expect(out).not.toMatch(/[\u0080-\u009f\u202e]/);
    expect(JSON.parse(out).error).toContain(typed);
  });

  it.each([
    ["code: string", "write `text`"],
    ["code: bool", "write `boolean`"],
    ["code: number", "write `integer` or `decimal`"],
    ["code: text, mandatory", "write `required`"],
    ["code: integer 1-5", "write 1..5"],
    ['code: text\n      n: "= avg(code)"', "write `average(…)`"],
    ['code: text\n      n: "= concat(code)"', "write `a & b`"],
    ["code: text\n      n: \"= code == 'a'\"", "write `=`"],
    ["code: text\n      n: \"= code = 'a' && code = 'b'\"", "write `and`"],
    ["code: txet", "^^^^ did you mean `text`?"],
  ])("of a model, %j, is answered with ours", async (field, help) => {
    const folder = projectWith(`levadura: 1\nentities:\n  Hive:\n    fields:\n      ${field}\n`);
    const { status, err } = await levadura(["check"], folder);
    expect(status).toBe(1);
    expect(err).toContain(`^ ${help}`.replace("^ ^", "^"));
  });
});

describe("a command", () => {
  it("finds its project from any folder below it", async () => {
    const folder = projectWith(model);
    const below = join(folder, "app", "src");
    mkdirSync(below, { recursive: true });
    expect(await levadura(["check"], below)).toMatchObject({ status: 0, err: "" });
    expect(await levadura(["prepare"], below)).toMatchObject({ status: 0 });
    expect(readdirSync(join(folder, "migrations"))).toEqual(["0001-begin"]);
    expect(readdirSync(below)).toEqual([]);
    expect((await levadura(["check"], temporaryFolder())).status).toBe(2);
    if (process.getuid?.() !== 0) return;
    chownSync(join(folder, "model.yaml"), 12345, 12345);
    expect((await levadura(["check"], below)).status).toBe(2);
    expect((await levadura(["check"], folder)).status).toBe(0);
  });

  it("prints SQL that a client of the database runs, and everything else beside it", async () => {
    const folder = projectWith(model);
    const { out, err } = await levadura(["changes", "--sql"], folder);
    expect(err).toContain("hive is new");
    const database = join(temporaryFolder(), "other.db");
    execFileSync(process.execPath, [
      "--input-type=module",
      "-e",
      `import Database from ${JSON.stringify(join(repository, "node_modules/libsql/index.js"))};
       new Database(process.argv[1]).exec(process.argv[2]);`,
      database,
      out,
    ]);
    const tables = rowsOf<{ name: string }>(database, "select name from sqlite_master").map(
      ({ name }) => name,
    );
    expect(tables).toEqual(expect.arrayContaining(["hive", "keeper"]));
  });

  it("says no more than it is asked to", async () => {
    const folder = projectWith(model);
    expect((await levadura(["prepare"], folder)).next).toContain("levadura migrate");
    for (const command of ["prepare", "check", "history", "changes", "build", "kept"]) {
      const { out, next } = await levadura([command], folder);
      expect([command, out]).toEqual([command, expect.not.stringContaining("Next:")]);
      // The others have nothing to suggest here.
      if (["check", "history", "build"].includes(command)) expect(next).toContain("levadura ");
    }
    const quiet = await levadura(["migrate", "--quiet"], folder);
    expect(quiet).toEqual({ status: 0, out: "", err: "", next: "" });
    const verbose = await levadura(["build", "--verbose"], folder);
    expect(verbose.err).toMatch(/^\[\d+\.\d{3} s\] building app\/\n\[\d+\.\d{3} s\] finished\n/);
    const plain = await levadura(["check", "--no-color"], folder, {
      env: { NO_COLOR: "", FORCE_COLOR: "1" },
    });
    expect(plain.out).not.toContain("\u001b[");
  });

  it("tells beforehand what it would write, and writes nothing", async () => {
    const folder = projectWith(model);
    const built = await levadura(["build", "--dry-run"], folder);
    expect(built.out).toContain("new     app/src/entities/hive/hive.list.tsx\n");
    expect(readdirSync(folder).filter((name) => !name.startsWith("."))).toEqual(["model.yaml"]);
    await levadura(["prepare"], folder);
    await levadura(["migrate"], folder);
    const seeded = await levadura(["seed", "--rows", "7", "Hive", "--dry-run"], folder);
    expect(seeded).toMatchObject({ status: 0, out: "Hive: 7 rows\n" });
    expect(rowsOf(join(folder, "records.db"), "select * from hive")).toEqual([]);
    await levadura(["seed", "--rows", "7", "Hive"], folder);
    const fewer = await levadura(["seed", "--rows", "3", "Hive"], folder);
    expect(fewer).toMatchObject({ status: 0, out: "" });
    expect(fewer.err).toContain("Hive has 7 sample rows already; with --empty-first");
  });

  it("exits with a status of its own where it only previewed", async () => {
    const folder = temporaryFolder();
    writeFileSync(join(folder, "hives.csv"), "Code,Weight\nB-1,3\nB-2,4\n");
    expect((await levadura(["import", "hives.csv"], folder)).status).toBe(5);
    expect((await levadura(["import", "hives.csv", "--json"], folder)).status).toBe(5);
    expect((await levadura(["import", "hives.csv", "--yes"], folder)).status).toBe(0);
  });

  it("that goes on tells a script each event on a line", async () => {
    const folder = projectWith(model);
    const program = await running(["rise", "--json"], folder);
    const lines = () => program.said().trim().split("\n");
    await program.until(/"kind":"watching"/);
    const events = lines().map((line) => JSON.parse(line));
    expect(events.map(({ kind }) => kind)).toEqual(
      expect.arrayContaining(["prepared", "applied", "seeded", "built", "serving", "watching"]),
    );
    const serving = events.find(({ kind }) => kind === "serving");
    expect((await new Visitor(serving.address.replace(/\/$/, "")).get("/hives")).status).toBe(200);
    writeFileSync(join(folder, "model.yaml"), model.replace("text", "txet"));
    await program.until(/"kind":"trouble"/);
    expect(JSON.parse(lines().at(-1) ?? "")).toMatchObject({ error: "model.yaml has 1 error" });
    expect(await program.stop()).toBe(0);
    expect(JSON.parse(lines().at(-1) ?? "")).toEqual({ kind: "stopped" });
  });
});

describe("completion", () => {
  const words = async (folder: string, ...typed: string[]) =>
    (await levadura(["completion", "words", "--", ...typed], folder)).out.trim().split("\n");

  it("knows commands, options, entities and migrations", async () => {
    const folder = projectWith(model);
    await levadura(["prepare"], folder);
    expect(await words(folder, "re")).toEqual(["report", "restore", "rewind"]);
    expect(await words(folder, "prepare", "--re")).toEqual(["--rewrite"]);
    expect(await words(folder, "seed", "H")).toEqual(["Hive"]);
    expect(await words(folder, "seed", "--as", "")).toEqual(["csv", "json", "sql"]);
    expect(await words(folder, "rewind", "")).toEqual(["0001-begin"]);
    expect(await words(folder, "migrate", "--to", "0")).toEqual(["0001-begin"]);
    expect(await words(temporaryFolder(), "seed", "-p", folder, "")).toEqual(["Hive", "Keeper"]);
    expect(await words(folder, "import", "x")).toEqual([""]);
  });

  it("works in bash", async () => {
    const folder = projectWith(model);
    const { out } = await levadura(["completion", "bash"], folder);
    const typed = `levadura() { ${process.execPath} ${join(repository, "bin/levadura.js")} "$@"; }
${out}
COMP_WORDS=(levadura seed K); COMP_CWORD=2; _levadura; echo "\${COMPREPLY[@]}"`;
    expect(execFileSync("bash", ["-c", typed], { cwd: folder, encoding: "utf8" })).toBe("Keeper\n");
    // Names of folders are data, not commands.
    mkdirSync(join(folder, "migrations", "$(touch made)"), { recursive: true });
    mkdirSync(join(folder, "migrations", "0001-begin"));
    const hostile = typed.replace("(levadura seed K)", "(levadura rewind '')");
    const offered = execFileSync("bash", ["-c", hostile], { cwd: folder, encoding: "utf8" });
    expect(offered).toBe("0001-begin\n");
    expect(readdirSync(folder)).not.toContain("made");
  });

  it.skipIf(noShells !== undefined).each(["zsh", "fish"] as const)("works in %s", async (shell) => {
    const folder = projectWith(model);
    const { out } = await levadura(["completion", shell], folder);
    const program = `${process.execPath} ${join(repository, "bin/levadura.js")}`;
    const offered = (line: string) => {
      const words = line.split(" ");
      const typed = {
        fish: `function levadura; ${program} $argv; end
${out}
complete -C '${line}'`,
        zsh: `autoload -Uz compinit; compinit -u -D
levadura() { ${program} "$@" }
${out}
compadd() { shift; print -l -- "$@" }
words=(${words.map((word) => `'${word}'`).join(" ")}); CURRENT=${words.length}; _levadura`,
      }[shell];
      const home = temporaryFolder();
      const env = { ...process.env, HOME: home };
      return execFileSync(shell, ["-c", typed], { cwd: folder, encoding: "utf8", env }).trim();
    };
    expect(offered("levadura resto")).toBe("restore");
    expect(offered("levadura seed K")).toBe("Keeper");
    expect(offered("levadura prepare --re")).toBe("--rewrite");
    expect(offered("levadura build --").split("\n")).toContain("--dry-run");
  });
});
