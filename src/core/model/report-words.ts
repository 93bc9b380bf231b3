import { periods } from "../../../kit/formula/periods.ts";
import {
  type Dimension,
  type Figure,
  figureKinds,
  type Mark,
  reportIn,
  reportParameters,
  tellings,
} from "../../../kit/formula/report.ts";

/** `date by month` is read as a formula and a period; anything else as a formula. */
export function dimensionOf(text: string): Dimension {
  const [, formula = "", per] = /^(.*\S)\s+by\s+(\w+)$/su.exec(text.trim()) ?? [];
  const known = periods.find((each) => each === per);
  return known ? { formula, per: known } : { formula: text.trim() };
}

export function dimensionWords({ formula, per }: Dimension): string {
  return per ? `${formula} by ${per}` : formula;
}

/**
 * `count`, `sum of weight`, `share of count`, `change of sum of weight`; with a name and a format behind it, as in
 * `sum of weight * price as Value (money)`; undefined for anything else.
 */
export function figureOf(text: string): Figure | undefined {
  const [, what = text, quoted, plain, format] =
    /^(.*\S)\s+as(?:\s+(?:"([^"]*)"|([^()"]*[^()"\s])))?\s*(?:\(([^()"]*)\))?$/su.exec(
      text.trim(),
    ) ?? [];
  const given = quoted ?? plain;
  const more = { ...(given && { name: given }), ...(format && { format: format.trim() }) };
  const [, telling, rest = what.trim()] = /^(share|change)\s+of\s+(.*)$/su.exec(what.trim()) ?? [];
  const as = tellings.find((each) => each === telling);
  if (rest === "count") return { kind: "count", as, ...more };
  const [, kind, of = ""] = /^(\w+)\s+of\s+(.*)$/su.exec(rest) ?? [];
  const known = figureKinds.find((each) => each === kind);
  return known && known !== "count" && of !== "" ? { kind: known, of, as, ...more } : undefined;
}

export function figureWords(figure: Figure): string {
  const what = figure.kind === "count" ? figure.kind : `${figure.kind} of ${figure.of}`;
  return figure.as ? `${figure.as} of ${what}` : what;
}

/** The same with its name and its format. */
function shownWords(figure: Figure): string {
  const { name, format } = figure;
  if (!name && !format) return figureWords(figure);
  const plain = name?.replaceAll('"', "'") ?? "";
  const called = /[()]|\bas\b/.test(plain) ? `"${plain}"` : plain;
  const written = format ? `(${format.replace(/[()"]/g, "")})` : "";
  return [figureWords(figure), "as", called, written].filter(Boolean).join(" ");
}

function markWords({ kind, value, figure }: Mark, figures: readonly Figure[]): string {
  const of = figures[figure];
  return `${kind} ${value}${figure === 0 || !of ? "" : ` by ${figureWords(of)}`}`;
}

/** A report as the model has it, of what an address says: each key with its text, or its texts. */
export function reportEntries(query: URLSearchParams): [string, string | string[]][] {
  const { groups, across, figures, order, first, mark, blanks, ask = [], drawn } = reportIn(query);
  const by = groups.map(dimensionWords);
  const show = figures.map(shownWords);
  const ordered = order && figures[order.figure];
  const only = query.get("only")?.trim();
  const filter = new URLSearchParams(query);
  for (const name of ["layout", "only", ...unkept, ...reportParameters]) filter.delete(name);
  const oneOrMore = (texts: string[]) => (texts.length === 1 ? (texts[0] ?? "") : texts);
  return [
    ...(by.length > 0 ? [["by", oneOrMore(by)] as [string, string | string[]]] : []),
    ...(across ? [["across", dimensionWords(across)] as [string, string]] : []),
    ["show", oneOrMore(show)],
    ...(order && ordered
      ? [
          ["order", `${figureWords(ordered)}${order.descending ? " descending" : ""}`] as [
            string,
            string,
          ],
        ]
      : []),
    ...(first === undefined ? [] : [["first", String(first)] as [string, string]]),
    ...(mark ? [["highlight", markWords(mark, figures)] as [string, string]] : []),
    ...(blanks ? [["blanks", blanks] as [string, string]] : []),
    ...(ask.length > 0 ? [["ask", oneOrMore(ask)] as [string, string | string[]]] : []),
    ...(only ? [["only", `= ${only}`] as [string, string]] : []),
    ...(filter.size > 0 ? [["filter", filter.toString()] as [string, string]] : []),
    ...(drawn === "table" ? [] : [["drawn", drawn] as [string, string]]),
  ];
}

/** What an address says of one page of a list, or of its table. */
const unkept = ["page", "after", "before", "size", "sort", "columns", "totals", "count", "rows"];
