import { expect } from "vitest";
import { type Period, periodOf } from "../../kit/formula/periods.ts";
import { textOf } from "./visitor.ts";

/** What rows can be put together by, as an address has it, and what a row is called then. */
export type Dimension<Row> = readonly [string, (row: Row) => string | number | boolean | null];

/** What a formula gives of a row. */
export type Values<Row> = Readonly<Record<string, (row: Row) => number | null>>;

const month = new Intl.DateTimeFormat("en", { year: "numeric", month: "short", timeZone: "UTC" });
const day = new Intl.DateTimeFormat("en", { dateStyle: "medium", timeZone: "UTC" });
const dayText = (text: string) => day.format(new Date(`${text}T00:00:00Z`));
const periodTexts: Readonly<Record<Period, (key: string) => string>> = {
  year: (key) => key,
  quarter: (key) => `Q${key.slice(6)} ${key.slice(0, 4)}`,
  month: (key) => month.format(new Date(`${key}-01T00:00:00Z`)),
  week: (key) => `Week of ${dayText(key)}`,
  day: dayText,
};

/** A day as a report calls its period. */
export function periodText(per: Period, day: string): string {
  return periodTexts[per](periodOf(per, day));
}

/** A line of a table: what its groups are called, from the outside in, and its cells. */
export interface Line {
  path: string[];
  cells: string[];
  links: string[];
}

export function linesOf(html: string): Line[] {
  const [table = ""] = /<table class="table report-table">[\s\S]*?<\/table>/.exec(html) ?? [];
  const path: string[] = [];
  return [
    ...table.matchAll(
      /<tr[^>]*><th scope="row"[^>]*data-depth="(\d)"[^>]*>([\s\S]*?)<\/th>([\s\S]*?)<\/tr>/g,
    ),
  ].map(([, depth = "0", label = "", rest = ""]) => {
    path.length = Number(depth);
    path.push(textOf(label).trim());
    return {
      path: [...path],
      cells: [...rest.matchAll(/<td[^>]*>([\s\S]*?)<\/td>/g)].map(([, cell = ""]) =>
        textOf(cell).trim(),
      ),
      links: [...rest.matchAll(/<a href="([^"]*)"/g)].map(([, href = ""]) =>
        href.replaceAll("&amp;", "&"),
      ),
    };
  });
}

const nothing = "Nothing filled in";

/** Compares the page of a report with what a plain evaluation of the same rows gives. */
export function expectReport<Row>(
  name: string,
  html: string,
  kept: readonly Row[],
  asked: {
    by: readonly Dimension<Row>[];
    across: Dimension<Row> | undefined;
    shows: readonly string[];
    values: Values<Row>;
  },
): void {
  const { by, across, shows, values } = asked;
  const lines = linesOf(html);
  const columns = across ? [...new Set(kept.map((row) => called(across[1], row)))] : [];
  const heads = [...html.matchAll(/<th scope="colgroup"[^>]*>([\s\S]*?)<\/th>/g)].map(
    ([, text = ""]) => textOf(text).trim(),
  );
  expect([name, heads.slice(0, -1).sort()]).toEqual([name, columns.sort()]);
  const paths = new Map<string, readonly Row[]>();
  for (let depth = 1; depth <= by.length; depth++) {
    for (const row of kept) {
      const path = JSON.stringify(by.slice(0, depth).map(([, read]) => called(read, row)));
      paths.set(path, [...(paths.get(path) ?? []), row]);
    }
  }
  paths.set(JSON.stringify(["Total"]), kept);
  expect([name, lines.map(({ path }) => JSON.stringify(path)).sort()]).toEqual([
    name,
    [...paths.keys()].sort(),
  ]);
  for (const { path, cells } of lines) {
    const all = paths.get(JSON.stringify(path)) ?? [];
    const parts = [
      ...heads
        .slice(0, -1)
        .map((head) => all.filter((row) => across && called(across[1], row) === head)),
      all,
    ];
    const wanted = parts.flatMap((part) =>
      shows.map((show) => (part.length === 0 && part !== all ? "" : figureOf(show, part, values))),
    );
    const wrong = cells.flatMap((cell, at) =>
      isSame(cell, wanted[at] ?? "?") ? [] : [`${cell} instead of ${wanted[at]}`],
    );
    expect([name, path, wrong, cells.length]).toEqual([name, path, [], wanted.length]);
  }
}

function called<Row>(read: Dimension<Row>[1], row: Row): string {
  return String(read(row) ?? nothing);
}

/** A figure of some rows, to four digits behind the point. */
function figureOf<Row>(show: string, of: readonly Row[], values: Values<Row>): string {
  const [, kind = "", formula = ""] = /^(\w+):?(.*)$/.exec(show) ?? [];
  if (kind === "count") return String(of.length);
  const filled = of.map((row) => values[formula]?.(row) ?? null).filter((value) => value !== null);
  const sum = filled.reduce((one, other) => one + other, 0);
  if (kind === "sum") return sum.toFixed(4);
  if (filled.length === 0) return "";
  return (
    kind === "average" ? sum / filled.length : Math[kind === "smallest" ? "min" : "max"](...filled)
  ).toFixed(4);
}

/** Whether a cell says a number, as far as it is written. */
function isSame(cell: string, wanted: string): boolean {
  if (cell === "" || wanted === "") return cell === wanted;
  const number = Number(cell.replace(/[^\d.−-]/g, "").replace("−", "-"));
  return Math.abs(number - Number(wanted)) < 0.0061;
}
