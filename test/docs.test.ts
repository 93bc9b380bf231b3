import { existsSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { Config } from "@oclif/core";
import { describe, expect, it } from "vitest";
import { referencePage } from "../src/cli/help/reference.ts";
import { rangeWords } from "../src/core/fields/type-rule.ts";
import { typeRules } from "../src/core/fields/types.ts";
import { grammar, optionNames } from "../src/core/model/notation.ts";
import { readModel } from "../src/core/model/read.ts";
import {
  appShape,
  entityShape,
  fieldShape,
  fileShape,
  modelJsonSchema,
} from "../src/core/model/shapes.ts";
import { sourcesBelow } from "./support/imports.ts";
import { levadura, repository, temporaryFolder } from "./support/program.ts";

const reference = readFileSync(join(repository, "docs/model.md"), "utf8");
const samples = readFileSync(join(repository, "docs/sample-data.md"), "utf8");
const readme = readFileSync(join(repository, "README.md"), "utf8");

/** The rows of the tables of a text, as lists of their cells. */
function tableRows(text: string): string[][] {
  return text
    .split("\n")
    .filter((line) => line.startsWith("|"))
    .map((line) =>
      line
        .slice(1, -1)
        .split(/(?<!\\)\|/)
        .map((cell) => cell.trim().replaceAll("\\|", "|")),
    );
}

describe("the reference of the model language", () => {
  const rows = tableRows(reference);
  const firstCells = rows.map(([cell]) => cell);

  it.each([
    ["the file", fileShape],
    ["app", appShape],
    ["an entity", entityShape],
  ])("names every key of %s that the Zod shape has", (_name, shape) => {
    for (const key of Object.keys(shape.shape)) expect(firstCells).toContain(`\`${key}\``);
  });

  it("gives the long twin of every short word", () => {
    const long = rows.map(([, cell]) => cell ?? "").join(" ");
    for (const key of Object.keys(fieldShape.shape)) expect(long).toContain(`\`${key}:`);
    for (const name of optionNames)
      expect(
        firstCells.some((cell) => cell?.startsWith(`\`${name}`)),
        name,
      ).toBe(true);
  });

  it("has a row for every type, as the table of types has it", () => {
    for (const [kind, { holds, range, options }] of Object.entries(typeRules)) {
      if (kind === "formula") continue;
      const words = options.map((option) => `\`${option}\``).join(", ") || "none";
      expect(rows).toContainEqual([`\`${kind}\``, holds, rangeWords[range], words]);
    }
  });

  it("publishes the grammar that the reader follows", () => {
    expect(reference).toContain(`\`\`\`ebnf\n${grammar}\n\`\`\``);
  });

  it.each(
    [...`${reference}\n${readme}\n${samples}`.matchAll(/```yaml\n(.*?)```/gs)].map(
      (found) => found[1] ?? "",
    ),
  )("shows models that are right: example %#", (example) => {
    expect(readModel(example).diagnostics).toEqual([]);
  });

  it("gives every example of a long twin the meaning of its short one", () => {
    const pairs = rows.filter(
      ([short, long]) =>
        /^`/.test(short ?? "") &&
        /^`(type|min|required|unique|default|label|hint|placeholder|unit|places|was|fill|required when|shown when): ?/.test(
          long ?? "",
        ),
    );
    expect(pairs.length).toBeGreaterThanOrEqual(12);
    const host: Record<string, string> = {
      default: "choice active",
      unit: "integer",
      places: "decimal",
    };
    for (const [short = "", long = ""] of pairs) {
      const words = short.replaceAll("`", "");
      const type = host[words.split(" ")[0] ?? ""] ?? "text";
      const isType = /^(text|one|choice)/.test(words);
      const line = isType ? words : /^\d/.test(words) ? `text ${words}` : `${type}, ${words}`;
      const twin = `{${isType ? "" : `type: ${type}, `}${long.replaceAll("`", "")}}`;
      const read = (definition: string) =>
        readModel(`levadura: 1\nentities:\n  Apiary:\n    fields:\n      x: ${definition}\n`).model
          ?.entities[0]?.fields[0];
      expect(read(twin), twin).toBeDefined();
      const meaning = (field: unknown) =>
        JSON.stringify(field, (key, value) =>
          key === "at" || key === "origin"
            ? undefined
            : key === "formula"
              ? value.replace(/^=\s*/, "")
              : value,
        );
      expect(meaning(read(twin))).toEqual(meaning(read(line)));
    }
  });
});

describe("the guide of imports", () => {
  const guide = readFileSync(join(repository, "docs/import.md"), "utf8");

  it("shows the plan that the program writes for the sheet it names", async () => {
    const folder = temporaryFolder();
    const sheet = join(repository, "demo", "keepers.ods");
    const { status } = await levadura(["import", sheet, "--write-plan", "plan.yaml"], folder);
    expect(status).toBe(0);
    const shown = /```yaml plan\n(.*?)```/s.exec(guide)?.[1];
    expect(readFileSync(join(folder, "plan.yaml"), "utf8")).toBe(shown);
  });

  it("explains every key of a plan and links to what is there", () => {
    for (const key of [
      "blank",
      "text",
      "header",
      "rows",
      "without",
      "fields",
      "leave",
      "split",
      "dates",
      "decimals",
      "replace",
      "is",
    ])
      expect(guide).toContain(`\`${key}`);
    for (const [, link = ""] of guide.matchAll(/\]\(([^)]+)\)/g))
      expect(existsSync(join(repository, "docs", link)), link).toBe(true);
  });
});

describe("the JSON Schema", () => {
  it("is printed by the program as it is made from the shapes", async () => {
    const { out, status } = await levadura(["check", "--schema"], repository);
    expect(status).toBe(0);
    expect(JSON.parse(out)).toEqual(modelJsonSchema());
  });

  it("knows the words of the language", () => {
    const text = JSON.stringify(modelJsonSchema());
    for (const key of [...Object.keys(entityShape.shape), ...Object.keys(fieldShape.shape)])
      expect(text).toContain(`"${key}":{`);
  });
});

describe("the README", () => {
  it("links to pictures and pages that are there", () => {
    const links = [...readme.matchAll(/\]\(([^)]+)\)/g)].map((found) => found[1] ?? "");
    for (const link of links) expect(existsSync(join(repository, link)), link).toBe(true);
  });

  it("names every command that the program has", async () => {
    const { out } = await levadura(["--help"], repository);
    const commands = [...out.matchAll(/^ {2}([a-z]+(?: [a-z]+)?) {2,}/gm)].map(
      (found) => found[1] ?? "",
    );
    expect(commands).toHaveLength(26);
    for (const command of commands) expect(readme).toContain(`\`levadura ${command}`);
  });
});

describe("the documents", () => {
  const pages = readdirSync(join(repository, "docs")).filter((name) => name.endsWith(".md"));
  const textOf = (name: string) => readFileSync(join(repository, "docs", name), "utf8");

  it("have a reference of the commands that is made from them", async () => {
    const path = join(repository, "docs/commands.md");
    const page = referencePage(await Config.load(repository));
    if (process.env.WRITE_GUIDE) writeFileSync(path, page);
    else expect(readFileSync(path, "utf8")).toBe(page);
  });

  it("are all reached from the index, and link to what is there", () => {
    const index = textOf("index.md");
    for (const name of pages) if (name !== "index.md") expect(index, name).toContain(`(${name})`);
    for (const name of pages) {
      for (const [, link = "", anchor] of textOf(name).matchAll(/\]\(([^)#:]*)(?:#([^)]*))?\)/g)) {
        const target =
          link === "" ? join(repository, "docs", name) : join(repository, "docs", link);
        expect(existsSync(target), `${name}: ${link}`).toBe(true);
        if (anchor === undefined) continue;
        const headings = [...readFileSync(target, "utf8").matchAll(/^#+ (.*)$/gm)].map(
          ([, heading = ""]) =>
            heading
              .toLowerCase()
              .replace(/[^\p{L}\p{N} -]/gu, "")
              .replaceAll(" ", "-"),
        );
        expect(headings, `${name}: #${anchor}`).toContain(anchor);
      }
    }
  });

  it("name only options and commands that exist", async () => {
    const { commandIDs, commands } = await Config.load(repository);
    const options = new Set(commands.flatMap(({ flags }) => Object.keys(flags)));
    for (const text of [readme, ...pages.map(textOf)]) {
      for (const [, command = "", rest = ""] of text.matchAll(/`levadura ([a-z]+)([^`\n]*)`/g)) {
        expect([...commandIDs, "help", "version"]).toContain(command);
        for (const [, option = ""] of rest.matchAll(/--([a-z-]+)/g))
          expect(options).toContain(option);
      }
    }
  });

  it("explain messages that the program has", () => {
    const sources = ["src", "kit"].flatMap((folder) =>
      readdirSync(join(repository, folder), { recursive: true, withFileTypes: true })
        .filter((entry) => /\.tsx?$/.test(entry.name) && !entry.name.includes(".test."))
        .map((entry) => readFileSync(join(entry.parentPath, entry.name), "utf8")),
    );
    const messages = tableRows(textOf("troubleshooting.md")).flatMap(([cell = ""]) =>
      /^`([^`]{12,})`/.exec(cell)?.[1] ? [cell.split("`")[1] ?? ""] : [],
    );
    expect(messages.length).toBeGreaterThan(6);
    for (const message of messages) {
      for (const part of message.split("…").map((each) => each.trim()))
        expect(
          sources.some((source) => source.replaceAll("’", "'").includes(part)),
          message,
        ).toBe(true);
    }
  });

  it("name every kind of step and every key of a plan", () => {
    const page = textOf("files.md");
    const steps = readFileSync(join(repository, "src/core/evolution/steps-yaml.ts"), "utf8");
    const kinds = [...steps.matchAll(/^ {2}step\("([^"]+)"/gm)].map(([, kind = ""]) => kind);
    expect(kinds.length).toBeGreaterThan(12);
    for (const kind of kinds) expect(page).toContain(`| \`${kind}\``);
    const plan = readFileSync(join(repository, "demo/hive-book.plan.yaml"), "utf8");
    for (const [, key = ""] of plan.matchAll(/^(?: {4}| {2}- | {8})?([a-z]+):/gm))
      expect(page, key).toContain(`\`${key}\``);
  });
});

describe("the pages for engineers", () => {
  it.each(["docs/architecture.md", "CONTRIBUTING.md", "docs/security.md"])(
    "name only files that are there: %s",
    (page) => {
      const text = readFileSync(join(repository, page), "utf8");
      const paths = [...text.matchAll(/`((?:src|kit|test|bench|scripts|docs)\/[\w./-]+)`/g)];
      expect(paths.length).toBeGreaterThan(2);
      const missing = paths.flatMap(([, path = ""]) =>
        existsSync(join(repository, path)) ? [] : path,
      );
      expect(missing).toEqual([]);
    },
  );

  it("list the files of the core and of the kit that know every kind of field, step and database", () => {
    const text = readFileSync(join(repository, "docs/architecture.md"), "utf8");
    const knowing = sourcesBelow(repository, ["src", "kit"]).filter((path) => {
      const code = readFileSync(join(repository, path), "utf8");
      return [
        ["long text", "percent", "phone", "choice"],
        ["extract lookup", "links to reference", "drop check", "own sql"],
      ].some((kinds) => kinds.every((kind) => new RegExp(`(case |\\b)"?${kind}"?[:,]`).test(code)));
    });
    expect(knowing.length).toBeGreaterThan(8);
    expect(knowing.filter((path) => !text.includes(path))).toEqual([]);
  });
});
