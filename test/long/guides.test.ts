import { copyFileSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { followGuide } from "../support/guide.ts";
import { levadura, repository, running, temporaryFolder } from "../support/program.ts";
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
  expect(textOf((await visitor.get("/hives")).html)).toContain("B-07 11 frames");
  const refused = await visitor.submit("/hives/new", { code: "b-0-" });
  expect([refused.status, textOf(refused.html)]).toEqual([
    422,
    expect.stringContaining("Add the number."),
  ]);
  expect(await program.stop()).toBe(0);
}

const nothing = async () => undefined;

describe("a guide", () => {
  it.each([
    ["changes.md", demoIn, nothing],
    ["getting-started.md", nothing, nothing],
    ["customising.md", nothing, customised],
    ["sample-data.md", nothing, nothing],
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
