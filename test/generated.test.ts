import { execFileSync, spawnSync } from "node:child_process";
import { readdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { levadura, projectWith, repository } from "./support/program.ts";

const demo = readFileSync(join(repository, "demo/model.yaml"), "utf8");

/** Names that mean something to SQL, to TypeScript, to the kit, or to a page. */
const biting = `levadura: 1
app: {name: 'Bite "quoted" </script> & {more}'}
entities:
  Order:
    label: 'Order "<script>alert(1)</script>"'
    fields:
      group: text, required, hint "{braces} & <tags> \\\\ \\"quotes\\""
      constructor: text
      select: one Record, required
      where: boolean
      default: choice "in use" | 'it''s' | a_b, default "in use"
      has_own_property: integer
      back: text
      title: text
      money: money 0..9.5, required
      prototype: time
  Record:
    fields:
      from: date, required
      to_string: long text
      page: one Record
      list: many List
    unique: [from, page]
  List:
    title: "{name}: {record}"
    plural: Listen
    fields:
      name: text
      record: one Record, unique
      others: many List
  Page:
    fields:
      ñandú: text, required, label "Ñandú & más"
      class: part of Order
      order: one Order
  Section: {fields: {text: text 2.., entry: email, at: datetime}, list: [text, created_at]}
  Class: {fields: {static: text, new: percent}}
  Error: {fields: {stack: text}}
  Form: {fields: {form: one Form, rows: text, without: one Page}}
  Database: {fields: {table: text, hidden: date}, form: [{Only: [table]}]}
`;

async function built(model: string): Promise<string> {
  const folder = projectWith(model);
  for (const command of ["draft", "build"]) {
    expect(await levadura([command], folder)).toMatchObject({ status: 0, err: "" });
  }
  symlinkSync(join(repository, "node_modules"), join(folder, "app/node_modules"));
  return folder;
}

function run(command: string, args: string[], cwd: string) {
  const { status, stdout, stderr } = spawnSync(
    join(repository, "node_modules/.bin", command),
    args,
    { cwd, encoding: "utf8", env: { ...process.env, NO_COLOR: "1" } },
  );
  return { status, said: status === 0 ? "" : stdout + stderr };
}

describe.each([
  ["the demo", demo],
  ["names that bite", biting],
])("the generated application of %s", (_name, model) => {
  it("passes the strict compiler, the formatter, the linter, and its own tests", async () => {
    const app = join(await built(model), "app");
    expect(run("tsc", ["-p", "."], app)).toEqual({ status: 0, said: "" });
    expect(run("biome", ["ci", "--error-on-warnings", "."], app)).toEqual({ status: 0, said: "" });
    expect(run("vitest", ["run"], app)).toEqual({ status: 0, said: "" });
  });
});

describe("building", () => {
  /** All files of an application, with their texts. */
  function files(folder: string): Record<string, string> {
    const app = join(folder, "app");
    return Object.fromEntries(
      readdirSync(app, { recursive: true, withFileTypes: true })
        .filter((entry) => entry.isFile())
        .map((entry) => join(entry.parentPath, entry.name))
        .map((path) => [path.slice(app.length), readFileSync(path, "utf8")]),
    );
  }

  it("gives the same bytes for the same model, and touches nothing the second time", async () => {
    const [one, two] = [await built(demo), await built(demo)];
    expect(files(one)).toEqual(files(two));
    const again = JSON.parse((await levadura(["build", "--json"], one)).out);
    expect(again).toMatchObject({ written: 0, removed: 0, kept: [] });
  });

  it("takes away what an entity left behind, but for what a person edited", async () => {
    const folder = await built(demo);
    const pages = join(folder, "app/src/entities/queen/queen.pages.tsx");
    writeFileSync(pages, `${readFileSync(pages, "utf8")}// mine\n`);
    writeFileSync(join(folder, "model.yaml"), demo.replace(/ {2}Queen:\n(?: {4}.*\n|\n)+/, ""));
    const { kept, removed } = JSON.parse((await levadura(["build", "--json"], folder)).out);
    expect(kept).toEqual(["src/entities/queen/queen.pages.tsx"]);
    expect(removed).toBe(5);
    expect(readFileSync(pages, "utf8")).toContain("// mine");
  });

  it("keeps a clone of the project informed: its record and copies belong into version control", async () => {
    const folder = await built(demo);
    execFileSync("git", ["init", "-q"], { cwd: folder });
    expect((await levadura(["begin", "x"], folder)).status).toBe(0);
    writeFileSync(join(folder, ".gitignore"), readFileSync(join(folder, "x/.gitignore")));
    execFileSync("git", ["add", "-A"], { cwd: folder });
    const tracked = execFileSync("git", ["ls-files"], { cwd: folder, encoding: "utf8" }).split(
      "\n",
    );
    expect(tracked).toEqual(
      expect.arrayContaining([
        ".levadura/generated/record.json",
        ".levadura/generated/app/src/main.ts.txt",
        "migrations/0001-begin/steps.yaml",
        "app/src/kit/routes.tsx",
      ]),
    );
    expect(tracked.filter((path) => /\.db|\/run\//.test(path))).toEqual([]);
  });
});
