// A chart of 1,000 points, against its data written as JSON; without a database.
import { mkdtempSync, rmSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { build } from "esbuild";
import { byTurns, root } from "./measure.js";

const points = 1000;

/** What a report came to, and what draws it. */
const source = `
import { ReportChart } from "./kit/features/report/chart.tsx";
import { formatsFor } from "./kit/messages/formats.ts";
import { messagesFor } from "./kit/messages/messages.ts";

const language = "en";
const messages = messagesFor(language);
const scope = { language, messages, format: formatsFor(language, "EUR", "UTC", messages) };
const tallyOf = (at) => ({
  rows: at,
  of: [{ sum: (at * 7919) % 1000, filled: at, smallest: 1, largest: 9 }],
});
const groups = Array.from({ length: ${points} }, (_, at) => ({
  keys: ["Hive " + at],
  label: "Hive " + at,
  tally: tallyOf(at),
  across: new Map(),
  groups: [],
}));
const figure = { figure: { kind: "sum", of: "weight" }, label: "Weight", places: 1, type: "number" };
const dimension = { label: "Hive", type: "text", only: (key) => "hive = " + key };
const whole = { keys: [], label: "", tally: tallyOf(1), across: new Map(), groups };
const result = { dimensions: [dimension], figures: [figure], whole, tooMany: false };
const hrefOf = (group) => "/harvests?only=" + encodeURIComponent(dimension.only(group.keys[0]));

export const draw = (drawing) =>
  String(<ReportChart scope={scope} result={result} drawing={drawing} hrefOf={hrefOf} />);
export const json = () =>
  JSON.stringify(groups);
`;

export async function drawn() {
  // Among the packages that it needs.
  const folder = mkdtempSync(join(root, "node_modules", ".bench-"));
  try {
    const outfile = join(folder, "charts.mjs");
    await build({
      stdin: { contents: source, resolveDir: root, loader: "tsx" },
      bundle: true,
      platform: "node",
      format: "esm",
      packages: "external",
      tsconfig: join(root, "tsconfig.json"),
      outfile,
    });
    const { draw, json } = await import(pathToFileURL(outfile).href);
    const results = [];
    for (const drawing of ["bars", "columns", "line"]) {
      const [own, against] = await byTurns(
        25,
        () => draw(drawing),
        () => json(),
      );
      const what = `a chart of ${points.toLocaleString("en")} points, drawn as ${drawing}`;
      results.push({ what, reference: "its data as JSON", own, against, hold: "<= 10" });
    }
    return results;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
