import * as z from "zod";
import { periods } from "./periods.ts";

/** The longest formula that somebody may type into an address, in characters. */
export const longestFormula = 500;

/** What a report is drawn as. */
export const drawings = [
  "table",
  "bars",
  "columns",
  "line",
  "area",
  "ring",
  "scatter",
  "trend",
] as const;
export type Drawing = (typeof drawings)[number];

export const figureKinds = ["count", "sum", "average", "smallest", "largest"] as const;
export type FigureKind = (typeof figureKinds)[number];

const formula = z
  .string()
  .trim()
  .max(longestFormula)
  .transform((text) => text.replace(/^=\s*/, ""))
  .pipe(z.string().min(1));

/** By what rows are put together: a field, a reference, one of its fields, or any formula; days by a period. */
const dimension = z.object({ formula, per: z.enum(periods).optional() });
export type Dimension = z.infer<typeof dimension>;

/** What a figure is told as besides itself: its part of that of all rows, or how it differs from the group before. */
export const tellings = ["share", "change"] as const;
export type Telling = (typeof tellings)[number];

/** The most characters of the name and the format of a figure. */
const longest = { name: 60, format: 20 };

const text = (most: number) => z.string().trim().min(1).max(most).optional();

/** How a figure is told. */
const telling = {
  as: z.enum(tellings).optional(),
  /** What people read above it, instead of what it is. */
  name: text(longest.name),
  /** `money`, `percent`, a number of digits behind the point, or a unit such as `kg`; as its formula has it, without one. */
  format: text(longest.format),
};

/** What is told of each group: how many rows, or a figure of a formula. */
const figure = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("count"), ...telling }),
  z.object({ kind: z.enum(["sum", "average", "smallest", "largest"]), of: formula, ...telling }),
]);
export type Figure = z.infer<typeof figure>;

/** What groups are marked by: the lowest or the highest of them, or those below or above a number. */
export const markKinds = ["lowest", "highest", "below", "above"] as const;

const mark = z.object({
  kind: z.enum(markKinds),
  /** Of which figure, counted from 0. */
  figure: z.number().int().min(0),
  value: z.number(),
});
export type Mark = z.infer<typeof mark>;

/** The most dimensions and figures of a report. */
export const mostGroups = 3;
export const mostFigures = 4;
/** The most values that it asks for. */
export const mostAsked = 6;

const report = z.object({
  groups: z.array(dimension).max(mostGroups),
  /** What stands beside each other as columns: a pivot. */
  across: dimension.optional(),
  figures: z.array(figure).max(mostFigures),
  /** By which figure groups are ordered, counted from 0; by themselves without it. */
  order: z.object({ figure: z.number().int().min(0), descending: z.boolean() }).optional(),
  /** How many groups are shown alone; the others are one together. */
  first: z.number().int().min(1).max(1000).optional(),
  mark: mark.optional(),
  /** What a pivot shows where there are no rows: nothing, without it. */
  blanks: z.literal("zero").optional(),
  /** The fields, or paths to them, whose values it asks for when it is opened. */
  ask: z.array(formula).max(mostAsked).optional(),
  drawn: z.enum(drawings),
});

/** The rows of a list as groups with figures. */
export type Report = z.infer<typeof report>;

/** What a report is where an address says nothing of it. */
const plain: Report = { groups: [], figures: [{ kind: "count" }], drawn: "table" };

/** The parameters of an address that say what a report is. */
export const reportParameters = [
  "by",
  "across",
  "show",
  "named",
  "format",
  "mark",
  "blanks",
  "ask",
  "order",
  "first",
  "drawn",
] as const;

/**
 * Reads a report out of an address: `?by=hive.apiary&by=date:month&across=date:year&show=sum:weight&order=-1&first=10`.
 * Whatever makes no sense is left out.
 */
export function reportIn(query: URLSearchParams): Report {
  const names = numbered(query.getAll("named"), longest.name);
  const formats = numbered(query.getAll("format"), longest.format);
  const asked = query.getAll("ask").filter((each) => formula.safeParse(each).success);
  const figures = query
    .getAll("show")
    .slice(0, mostFigures)
    .flatMap((text, at) =>
      figureIn(text, { name: names.get(at + 1), format: formats.get(at + 1) }),
    );
  const [, sign, number] = /^(-?)([1-9])$/.exec(query.get("order") ?? "") ?? [];
  const first = Number(query.get("first"));
  const marked = markIn(query.get("mark") ?? "");
  const given = {
    groups: query.getAll("by").slice(0, mostGroups).flatMap(dimensionIn),
    across: dimensionIn(query.get("across") ?? "")[0],
    figures: figures.length > 0 ? figures : plain.figures,
    ...(number && { order: { figure: Number(number) - 1, descending: sign === "-" } }),
    ...(Number.isInteger(first) && first > 0 && first <= 1000 && { first }),
    ...(marked && { mark: marked }),
    ...(query.get("blanks") === "zero" && { blanks: "zero" }),
    ...(asked.length > 0 && { ask: asked.slice(0, mostAsked) }),
    drawn: drawings.find((each) => each === query.get("drawn")) ?? plain.drawn,
  };
  const read = report.safeParse(given);
  return read.success ? read.data : plain;
}

/** A report as an address has it: what `reportIn` reads. */
export function reportQuery(report: Report): URLSearchParams {
  const { groups, across, figures, order, first, mark, blanks, ask = [], drawn } = report;
  const isPlain =
    figures.length === 1 &&
    figures.every((each) => figureText(each) === "count" && !(each.name || each.format));
  const numbers = (name: string, part: (each: Figure) => string | undefined) =>
    figures.flatMap((each, at) => {
      const text = part(each);
      return text === undefined ? [] : [[name, `${at + 1}:${text}`]];
    });
  return new URLSearchParams([
    ["layout", "report"],
    ...groups.map((each) => ["by", dimensionText(each)]),
    ...(across ? [["across", dimensionText(across)]] : []),
    ...(isPlain ? [] : figures.map((each) => ["show", figureText(each)])),
    ...numbers("named", ({ name }) => name),
    ...numbers("format", ({ format }) => format),
    ...(order ? [["order", `${order.descending ? "-" : ""}${order.figure + 1}`]] : []),
    ...(first === undefined ? [] : [["first", String(first)]]),
    ...(mark ? [["mark", markText(mark)]] : []),
    ...(blanks ? [["blanks", blanks]] : []),
    ...ask.map((each) => ["ask", each]),
    ...(drawn === "table" ? [] : [["drawn", drawn]]),
  ]);
}

/** A dimension as it is in an address: `date:month`. */
export function dimensionText({ formula, per }: Dimension): string {
  return per ? `${formula}:${per}` : formula;
}

function dimensionIn(text: string): Dimension[] {
  const [, formula = text, per] = /^([^:]*):(\w+)$/.exec(text) ?? [];
  const found = dimension.safeParse({ formula, per });
  return found.success ? [found.data] : [];
}

/** A figure as it is in an address: `count`, `sum:weight`, `sum:weight:share`. */
export function figureText(figure: Figure): string {
  const what = figure.kind === "count" ? figure.kind : `${figure.kind}:${figure.of}`;
  return figure.as ? `${what}:${figure.as}` : what;
}

/** Texts that belong to figures, by the numbers of these: `2:Margin`. Blank ones say nothing, and long ones are cut. */
function numbered(texts: readonly string[], most: number): Map<number, string> {
  return new Map(
    texts.flatMap((each): [number, string][] => {
      const [, number, text = ""] = /^([1-9]):(.*)$/s.exec(each) ?? [];
      const short = text.trim().slice(0, most).trim();
      return number && short ? [[Number(number), short]] : [];
    }),
  );
}

function figureIn(
  text: string,
  more: { name?: string | undefined; format?: string | undefined },
): Figure[] {
  const [, what = text, as] = /^(.*):(share|change)$/s.exec(text) ?? [];
  const [, kind = "", of] = /^(\w+):?(.*)$/s.exec(what) ?? [];
  const found = figure.safeParse({ kind, of, as, ...more });
  return found.success ? [found.data] : [];
}

/** A mark as it is in an address: `lowest:3`, or `2:below:20` of the second figure. */
export function markText({ kind, figure, value }: Mark): string {
  return `${figure === 0 ? "" : `${figure + 1}:`}${kind}:${value}`;
}

function markIn(text: string): Mark | undefined {
  const [, at = "1", kind, number = ""] =
    /^(?:([1-9]):)?(\w+):(-?\d{1,15}(?:\.\d{1,6})?)$/.exec(text) ?? [];
  const found = mark.safeParse({ kind, figure: Number(at) - 1, value: Number(number) });
  return found.success ? found.data : undefined;
}
