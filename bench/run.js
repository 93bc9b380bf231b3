// npm run bench [names]: measures, prints, and writes docs/benchmarks.md when nothing was left out.
import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
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

Measured with \`npm run bench\` on ${date}, at commit ${commit} or the one after it, on ${cpus().length} cores (${cpus()[0]?.model.trim()}),
Node ${process.versions.node}. Each figure is a median; the two of a line were taken by turns in the same run, and
only their ratio means anything on another machine. Times are of whole processes, from start to end.

| what | figure | reference | figure | ratio | to hold | held |
| ---- | -----: | --------- | -----: | ----: | ------- | ---- |
${lines.join("\n")}

In SQLite, seeding makes the indexes of an empty table when its rows are in, and the reference keeps them up. The reference of the
search looks for the letters as they are typed, whatever their case; the list finds them whatever their accents, too.

## Reasons for the figures that are not held

- Checking: a third of the time is what a model of eight entities takes, too; parsing the YAML is not quite another third.
- Building again after one change: more than half of it is starting the process and reading the model, which
  \`levadura check\` alone takes as well; most of the rest generates every entity again to see which of them changed.
- The list in its own order: of the three it has the cheapest query, so that what differs, the rendering of TSX
  instead of string templates, weighs most. A profile shows it in the renderer of \`hono/jsx\`.
- Importing CSV: the reference writes one table of texts without an index. A profile of the load shows 15 s within
  SQLite, half of it making the six indexes that the model's lists and its unique field need, half inserting through the
  driver; reading the file with its parser takes 2 to 3 s, and it is read twice, the clean file once more. The rest is
  looking at 10 million cells, and reading each as its type.
- Importing XLSX: the library takes 17 to 21 s to read the workbook (a streaming one, which was tried too, takes 15 s),
  more than LibreOffice takes for all of it.
`;
  writeFileSync(join(root, "docs", "benchmarks.md"), text);
}
