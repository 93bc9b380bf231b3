// npm run bench [names]: measures, prints, and writes docs/benchmarks.md when nothing was left out.
import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { cpus } from "node:os";
import { join } from "node:path";
import { programs } from "./api.js";
import { attacked } from "./attacks.js";
import { cell } from "./cell.js";
import { drawn } from "./charts.js";
import { build, check, merged, version } from "./commands.js";
import { exported } from "./export.js";
import { forms } from "./forms.js";
import { computed } from "./formulas.js";
import { sheet, workbook } from "./import.js";
import { root } from "./measure.js";
import { list } from "./pages.js";
import { processes } from "./processes.js";
import { published } from "./publish.js";
import { rebuild } from "./rebuild.js";
import { reload } from "./reload.js";
import { reported } from "./reports.js";
import { rights } from "./rights.js";
import { searched } from "./searching.js";
import { seeding } from "./seeding.js";

const benches = {
  version,
  check,
  build,
  merged,
  list,
  searched,
  cell,
  forms,
  exported,
  programs,
  reported,
  drawn,
  rights,
  published,
  processes,
  reload,
  sheet,
  workbook,
  rebuild,
  computed,
  seeding,
  attacked,
};
const asked = process.argv.slice(2);
const lines = [];
for (const [name, bench] of Object.entries(benches)) {
  if (asked.length > 0 && !asked.includes(name)) continue;
  for (const { what, reference, own, against, unit = "ms", hold } of await bench()) {
    const ratio = own / against;
    const [limit, bound] = hold.split(" ");
    const held = limit === "<=" ? ratio <= Number(bound) : ratio >= Number(bound);
    const figures = [own, against].map((figure) => `${figure.toFixed(0)} ${unit}`);
    lines.push(
      `| ${what} | ${figures[0]} | ${reference} | ${figures[1]} | ${ratio.toFixed(2)} | ${hold} | ${held ? "yes" : "no"} |`,
    );
    console.log(lines.at(-1));
  }
}
if (asked.length === 0) {
  const date = new Date().toISOString().slice(0, 10);
  const commit = execFileSync("git", ["rev-parse", "--short", "HEAD"], {
    cwd: root,
    encoding: "utf8",
  }).trim();
  const text = `# Benchmarks

Measured with \`npm run bench\` on ${cpus().length} cores (${cpus()[0]?.model.trim()}) with Node ${process.versions.node}, on ${date}, at
commit ${commit} or the one after it. Each figure is a median. The two figures of a line were measured in turn in the same run; on another
machine, only their ratio is comparable. Times are those of whole processes, from start to end.

| what | figure | reference | figure | ratio | to hold | held |
| ---- | -----: | --------- | -----: | ----: | ------- | ---- |
${lines.join("\n")}

The reference for the search compares letters as they were typed, ignoring case; the list also ignores accents.

## Why some figures miss their target

- **Building again after one change.** More than half of the time is spent on starting the process and reading the model.
`;
  const path = join(root, "docs", "benchmarks.md");
  // The score of the spreadsheets is written by their test.
  const sheets = /\n## Spreadsheets[\s\S]*$/.exec(readFileSync(path, "utf8"))?.[0] ?? "";
  writeFileSync(path, text + sheets);
}
