import { z } from "zod";
import { periods } from "../../formula/periods.ts";
import { longestFormula } from "../asked-formulas.ts";

/** What a report is drawn as. */
export const drawings = ["table", "bars", "columns", "line", "ring", "trend"] as const;
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

/** What is told of each group: how many rows, or a figure of a formula. */
const figure = z.discriminatedUnion("kind", [
  z.object({ kind: z.literal("count") }),
  z.object({ kind: z.enum(["sum", "average", "smallest", "largest"]), of: formula }),
]);
export type Figure = z.infer<typeof figure>;

/** The most dimensions and figures of a report. */
export const mostGroups = 3;
export const mostFigures = 4;

const report = z.object({
  groups: z.array(dimension).max(mostGroups),
  /** What stands beside each other as columns: a pivot. */
  across: dimension.optional(),
  figures: z.array(figure).max(mostFigures),
  /** By which figure groups are ordered, counted from 0; by themselves without it. */
  order: z.object({ figure: z.number().int().min(0), descending: z.boolean() }).optional(),
  /** How many groups are shown alone; the others are one together. */
  first: z.number().int().min(1).max(1000).optional(),
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
  "figure",
  "of",
  "order",
  "first",
  "drawn",
] as const;

/**
 * Reads a report out of an address: `?by=hive.apiary&by=date:month&across=date:year&show=sum:weight&order=-1&first=10`.
 * Whatever makes no sense is left out.
 */
export function reportIn(query: URLSearchParams): Report {
  const figures = query.getAll("show").slice(0, mostFigures).flatMap(figureIn);
  const [, sign, number] = /^(-?)([1-9])$/.exec(query.get("order") ?? "") ?? [];
  const first = Number(query.get("first"));
  const given = {
    groups: query.getAll("by").slice(0, mostGroups).flatMap(dimensionIn),
    across: dimensionIn(query.get("across") ?? "")[0],
    figures: figures.length > 0 ? figures : plain.figures,
    ...(number && { order: { figure: Number(number) - 1, descending: sign === "-" } }),
    ...(Number.isInteger(first) && first > 0 && first <= 1000 && { first }),
    drawn: drawings.find((each) => each === query.get("drawn")) ?? plain.drawn,
  };
  const read = report.safeParse(given);
  return read.success ? read.data : plain;
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

/** A figure as it is in an address: `count`, `sum:weight`. */
export function figureText(figure: Figure): string {
  return figure.kind === "count" ? figure.kind : `${figure.kind}:${figure.of}`;
}

function figureIn(text: string): Figure[] {
  const [, kind = "", of] = /^(\w+):?(.*)$/s.exec(text) ?? [];
  const found = figure.safeParse({ kind, of });
  return found.success ? [found.data] : [];
}
