import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, it } from "vitest";
import { corpus } from "../sheets/corpus.ts";
import { added, type Score, scored } from "../sheets/score.ts";
import { repository } from "../support/program.ts";

/** As many sheets at once as there are usually processors. */
async function allScores(): Promise<Score> {
  const scores: Score[] = [];
  const left = [...corpus];
  const work = async () => {
    for (let sheet = left.shift(); sheet; sheet = left.shift()) scores.push(await scored(sheet));
  };
  await Promise.all([work(), work()]);
  return added(scores);
}

it("sheets of many fields of work are stored as a careful person would, and every doubt is shown", async () => {
  const { right, doubtful, silent, mistyped, foreign, cells, columns } = await allScores();
  expect([silent, foreign]).toEqual([[], []]);
  expect(right / cells).toBeGreaterThan(0.95);
  expect(mistyped.length / columns, mistyped.join("\n")).toBeLessThan(0.05);
  const languages = new Set(corpus.map(({ language }) => language));
  const section = `## Spreadsheets

The sheets in \`test/sheets/\` are made up: ${corpus.length} sheets of as many fields of work, in ${languages.size} languages. Beside each cell is what a careful person would store.
\`npm test\` imports all of them as they are proposed, and holds these figures.

| cells | of ${cells} |
| ----- | ------: |
| stored as a careful person would | ${right} |
| shown as doubtful: set aside, or in a column with a guess | ${doubtful} |
| stored as something else without a word | ${silent.length} |

Of ${columns} columns, ${columns - mistyped.length} have the type that a careful person would choose.
`;
  const path = join(repository, "docs/benchmarks.md");
  const page = readFileSync(path, "utf8");
  if (process.env.WRITE_GUIDE) {
    writeFileSync(path, `${page.replace(/\n## Spreadsheets[\s\S]*$/, "").trimEnd()}\n\n${section}`);
  } else expect(page).toContain(section);
}, 120_000);
