import type { Scope } from "../../access/scope.ts";
import type { Drawing } from "../../formula/report.ts";
import type { ReportResult } from "../../store/report/run.ts";
import { ReportChart } from "./chart.tsx";

/** What is no chart. */
export const plainDrawings: ReadonlySet<Drawing> = new Set(["table", "trend"]);

/** The chart of a report as an SVG file that stands alone, in the light colours; undefined where it is no chart. */
export function chartPicture(
  scope: Scope,
  result: ReportResult,
  drawing: Drawing,
): string | undefined {
  if (drawing === "table" || drawing === "trend") return undefined;
  const page = String(
    <ReportChart scope={scope} result={result} drawing={drawing} hrefOf={() => "."} />,
  );
  const [, box = "", inner] = /<svg[^>]*viewBox="([^"]*)"[^>]*>([\s\S]*)<\/svg>/.exec(page) ?? [];
  if (inner === undefined) {
    // What can't be drawn says why.
    const [, why = ""] = /<p class="empty">([^<]*)<\/p>/.exec(page) ?? [];
    return standing(line, `<text x="12" y="${line / 2}">${why}</text>`);
  }
  const [, , across = width, down = width] = box.split(" ").map(Number);
  // A ring is as wide as it is high.
  const height = across === down ? 300 : (down / across) * width;
  const keys = [...page.matchAll(key)].map(
    ([, slice, words], at) =>
      `<rect data-slice="${slice}" x="12" y="${height + 8 + at * line}" width="12" height="12"/><text x="32" y="${height + 14 + at * line}">${words}</text>`,
  );
  const whole = height + 12 + keys.length * line;
  // The parts lead nowhere in a file.
  const parts = inner.replace(/<a [^>]*>/g, "<g>").replaceAll("</a>", "</g>");
  const chart = `<svg viewBox="${box}" width="${width}" height="${height}">${parts}</svg>`;
  return standing(whole, chart + keys.join(""));
}

/** A picture of its own, with the colours that it needs. */
function standing(height: number, content: string): string {
  const size = `width="${width}" height="${height}"`;
  return `<svg xmlns="http://www.w3.org/2000/svg" ${size} viewBox="0 0 ${width} ${height}"><style>${style}</style><rect ${size} fill="#ffffff"/>${content}</svg>\n`;
}

const width = 760;
/** How far the words of the series are from each other. */
const line = 20;
/** What says which colour is which, beside the chart. */
const key = /<span class="ring-key" data-slice="(\w+)"[^>]*><\/span>\s*(?:<a[^>]*>)?([^<]*)/g;

/** The colours of `tokens.css`, which a file of its own can't refer to. */
const series = [
  "#1f6fb0",
  "#c4570a",
  "#2a7d5f",
  "#9c4f86",
  "#8a6d00",
  "#4d4a9e",
  "#a13a3a",
  "#4e7378",
];

const style = [
  "text{font:12px sans-serif;fill:#26221b;dominant-baseline:middle}",
  ".chart-grid{stroke:#ded7c8}",
  ".chart-line{fill:none;stroke-width:2.5}",
  "path{stroke:#fff}",
  "[data-slice]{fill:#8d8471}",
  "[data-line]{stroke:#8d8471}",
  ...series.map(
    (color, at) =>
      `[data-slice="${at + 1}"]{fill:${color}}[data-line="${at + 1}"]{stroke:${color}}`,
  ),
].join("");
