import { execFileSync } from "node:child_process";
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { demoModel } from "../support/demo.ts";
import { built, expectSound } from "../support/generated.ts";
import { levadura } from "../support/program.ts";

const demo = demoModel();

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
    const pages = join(folder, "app/src/entities/queen/queen.detail.tsx");
    writeFileSync(pages, `${readFileSync(pages, "utf8")}// mine\n`);
    writeFileSync(join(folder, "model.yaml"), demo.replace(/ {2}Queen:\n(?: {4}.*\n|\n)+/, ""));
    const { kept, removed } = JSON.parse((await levadura(["build", "--json"], folder)).out);
    expect(kept).toEqual(["src/entities/queen/queen.detail.tsx"]);
    expect(removed).toBe(7);
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
        "app/src/kit/store/save.ts",
      ]),
    );
    expect(tracked.filter((path) => /\.db|\/run\//.test(path))).toEqual([]);
  });
});

it("an application to which people sign in is sound", async () => {
  const signingIn = `users:
  groups:
    office: Office “of” \`the\` \${club}
    ámbar:
  rights: {everyone: see, office: everything, ámbar: "add, delete"}
entities:`;
  const folder = await built(demoModel({ open: true }).replace("entities:", signingIn));
  expectSound(join(folder, "app"));
});
