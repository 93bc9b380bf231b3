// npm run bench [names]: measures, prints, and writes docs/benchmarks.md when nothing was left out.
import { execFileSync } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { cpus } from "node:os";
import { join } from "node:path";
import { attacked } from "./attacks.js";
import { build, check, version } from "./commands.js";
import { computed } from "./formulas.js";
import { sheet, workbook } from "./import.js";
import { root } from "./measure.js";
import { list } from "./pages.js";
import { rebuild } from "./rebuild.js";
import { reload } from "./reload.js";
import { seeding } from "./seeding.js";

const benches = {
  version,
  check,
  build,
  list,
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

- **Checking.** Parsing the YAML is half of it; most of the rest is reading the short notation of the fields.
- **Building again after one change.** More than half of the time is spent on starting the process and reading the model.
- **The list in its own order.** Its query is the cheapest of the three, so everything else weighs most: a profile shows 22% in SQLite and its driver,
  18% in sending, 15% in TSX, 8% in making the SQL; the handler by hand keeps the frame of the page from the first request.
- **Importing CSV.** The reference writes one table of texts without an index. A profile of the load shows 15 s inside
  SQLite: half of it builds the six indexes that the model's lists and its unique field need, half inserts rows through the
  driver. Reading the file with its parser takes 2 to 3 s, and it is read twice; the clean file is read once more. The rest of the time
  goes into classifying 10 million cells and reading each one as its type.
- **Importing XLSX.** The library takes 17 to 21 s to read the workbook. (A streaming library was tried and takes 15 s.)
  LibreOffice needs less for the whole conversion.
`;
  const path = join(root, "docs", "benchmarks.md");
  // The score of the spreadsheets is written by their test.
  const sheets = /\n## Spreadsheets[\s\S]*$/.exec(readFileSync(path, "utf8"))?.[0] ?? "";
  writeFileSync(path, text + sheets);
}
