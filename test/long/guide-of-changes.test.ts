import { copyFileSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, it } from "vitest";
import { levadura, repository, temporaryFolder } from "../support/program.ts";

const path = join(repository, "docs/changes.md");

/** A text with what differs from run to run made the same. */
function steady(text: string): string {
  return text
    .replace(/\d{8}T\d{6,9}Z/g, "20261123T093000000Z")
    .replace(/\d{4}-\d\d-\d\dT[\d:]{8}Z/g, "2026-11-23T09:30:00Z")
    .replace(/ +\d+ ms/g, "  12 ms");
}

/** Makes the change of a diff, which has to fit. */
function changeModel(file: string, diff: string): void {
  const lines = diff.trimEnd().split("\n");
  const side = (mark: string) =>
    lines
      .filter((line) => line.startsWith(mark) || line.startsWith(" "))
      .map((line) => line.slice(1))
      .join("\n");
  const text = readFileSync(file, "utf8");
  expect(text).toContain(side("-"));
  writeFileSync(file, text.replace(side("-"), side("+")));
}

it("the guide of changes shows what the commands say", async () => {
  const folder = temporaryFolder();
  const model = join(folder, "model.yaml");
  copyFileSync(join(repository, "demo/model.yaml"), model);
  const demo = (file: string) => join(repository, "demo", file);
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
  let guide = readFileSync(path, "utf8");
  const shown = guide;
  for (const [block, kind, body = ""] of shown.matchAll(/```(diff|console)\n(.*?)```/gs)) {
    if (kind === "diff") {
      changeModel(model, body);
      continue;
    }
    const said: string[] = [];
    for (const [, line = ""] of body.matchAll(/^\$ levadura (.*)$/gm)) {
      const { out, err } = await levadura(line.split(" "), folder);
      said.push(`$ levadura ${line}\n${out}${err}`.trimEnd());
    }
    guide = guide.replace(block, () => `\`\`\`console\n${steady(said.join("\n\n"))}\n\`\`\``);
  }
  if (process.env.WRITE_GUIDE) writeFileSync(path, guide);
  else expect(shown).toBe(guide);
});
