import { type Cell, folded, isEmpty, type Row } from "../cells.ts";
import { findDate, monthNumber } from "../dates.ts";
import type { LayoutColumn, SeriesGroup } from "../layout.ts";
import { findNumber } from "../numbers.ts";
import { kindOf } from "./turned.ts";

/** Columns of a table that are steps of a series: months, years, the first, the second, the third visit. */
export interface FoundSeries {
  kind: SeriesKind;
  groups: SeriesGroup[];
  /** What each value is called, where the titles say so besides their step: `Hours` of `January hours`. */
  values: (string | undefined)[];
  /** Columns that are the sums of these. */
  totals: LayoutColumn[];
}

/** A series with the titles of the columns that its steps and their values get. */
export interface TableSeries {
  found: FoundSeries;
  title: string;
  values: string[];
}

export const seriesKinds = ["date", "month", "weekday", "quarter", "year", "number"] as const;
export type SeriesKind = (typeof seriesKinds)[number];

/** A title, taken apart: the step that it is, and the words that say what is in the column. */
interface Part {
  label: string;
  rest: string;
}

const weekdays = new Set(
  `monday tuesday wednesday thursday friday saturday sunday mon tue tues wed thu thur thurs fri sat sun
  montag dienstag mittwoch donnerstag freitag samstag sonnabend sonntag mo di mi do fr sa so
  lunes martes miércoles miercoles jueves viernes sábado sabado domingo lun mar mié mie jue vie sáb sab dom
  lundi mardi mercredi jeudi vendredi samedi dimanche mer jeu ven sam dim
  lunedì martedì mercoledì giovedì venerdì gio segunda terça quarta quinta sexta seg ter qua qui sex`.split(
    /\s+/,
  ),
);

/** The step in a title, by what the series is made of. */
const steps: Readonly<Record<SeriesKind, (title: string) => Part | undefined>> = {
  date: (title) => {
    const found = findDate(title);
    return found && !found.time ? { label: title, rest: "" } : undefined;
  },
  month: (title) => numericMonth(title) ?? byWord(title, (word) => monthNumber(word) !== undefined),
  weekday: (title) => byWord(title, (word) => weekdays.has(word)),
  quarter: (title) =>
    matched(
      title,
      /(?<![\p{L}\p{N}])(?:[QT][1-4]|[1-4]\.? ?(?:Quartal|Quarter|trim\p{L}*))(?:[ /-]*(?:20)?\d\d)?(?![\p{L}\p{N}])/iu,
    ),
  year: (title) => matched(title, /(?<!\d)(?:19|20)\d\d(?:[/-]\d\d(?:\d\d)?)?(?!\d)/),
  number: (title) => {
    const behind = /^(.*?)[\s#._-]*(\d{1,2})$/u.exec(title);
    if (behind) return { label: behind[2] ?? "", rest: (behind[1] ?? "").trim() };
    const before = /^(\d{1,2})(?:[.)º]|st|nd|rd|th)?\s+(\D+)$/iu.exec(title);
    return before ? { label: before[1] ?? "", rest: (before[2] ?? "").trim() } : undefined;
  },
};

function numericMonth(title: string): Part | undefined {
  return matched(
    title,
    /(?<!\d)(?:(?:19|20)\d\d[-/.](?:0[1-9]|1[0-2])|(?:0?[1-9]|1[0-2])[-/.](?:19|20)\d\d)(?!\d)/,
  );
}

function matched(title: string, pattern: RegExp): Part | undefined {
  const found = pattern.exec(title);
  if (!found) return undefined;
  const rest = `${title.slice(0, found.index)} ${title.slice(found.index + found[0].length)}`;
  return { label: found[0].trim(), rest: bare(rest) };
}

/** A title with one such word in it, and perhaps a year behind the word. */
function byWord(title: string, fits: (word: string) => boolean): Part | undefined {
  for (const match of title.matchAll(/\p{L}+\.?/gu)) {
    if (!fits(match[0].toLowerCase().replace(".", ""))) continue;
    const behind = title.slice(match.index + match[0].length);
    const year = /^[\s/'’-]*(?:(?:19|20)\d\d|\d\d)(?!\d)/u.exec(behind)?.[0] ?? "";
    // A group of years over the months is before the month: `2024 May`.
    const before = title.slice(0, match.index);
    const over = year ? undefined : /(?<!\d)(?:19|20)\d\d[\s/-]*$/.exec(before)?.[0];
    const start = before.slice(0, before.length - (over?.length ?? 0));
    const rest = `${start} ${behind.slice(year.length)}`;
    return { label: `${over ?? ""}${match[0]}${year}`.trim(), rest: bare(rest) };
  }
  return undefined;
}

/** What is left of a title, without the signs that held it together. */
function bare(text: string): string {
  return text.replace(/^[\s:/_–-]+|[\s:/_–-]+$/gu, "").replace(/\s+/gu, " ");
}

/** Lines of an address are numbered, and belong together. */
const together =
  /(^|\s)(address|addr|line|adresse|zeile|direcci[oó]n|l[ií]nea|ligne|endereço|linha|indirizzo|riga|adres|regel|street|phone|tel|email|mail)\.?$/iu;

const sumWords =
  /^(grand |sub-?)?(totals?|sum|summe|gesamt|suma|totales|somme|totale|totaux|soma|totaal|year|jahr|año|année|anno|ano)( .{0,30})?$/iu;

/** What texts are steps of, each of them nothing else: `2024` and `2025` of years. Undefined for others. */
export function kindOfSteps(texts: readonly string[]): SeriesKind | undefined {
  return seriesKinds.find(
    (kind) => kind !== "number" && texts.every((text) => steps[kind](text)?.rest === ""),
  );
}

/** Whether a column is a step of a series, or the sum of its steps. */
export function isOfSeries({ groups, totals }: FoundSeries, column: number): boolean {
  return (
    groups.some(({ columns }) => columns.includes(column)) ||
    totals.some((total) => total.column === column)
  );
}

/** Finds the series among the columns of a table; undefined where there is none. */
export function findSeries(
  columns: readonly LayoutColumn[],
  data: readonly Row[],
): FoundSeries | undefined {
  for (const kind of seriesKinds) {
    const found = seriesOf(kind, columns, data);
    if (found) return found;
  }
  return undefined;
}

/** Longer titles are no steps. */
const longestTitle = 80;

interface Step extends Part {
  at: LayoutColumn;
}

function seriesOf(
  kind: SeriesKind,
  columns: readonly LayoutColumn[],
  data: readonly Row[],
): FoundSeries | undefined {
  // Q5 is no quarter, and so neither is Q1.
  if (kind === "quarter" && columns.some(({ header }) => /^[QT]([5-9]|\d\d)\b/i.test(header))) {
    return undefined;
  }
  const read = steps[kind];
  const found = columns.flatMap((at): Step[] => {
    const isTitle = at.header !== "" && at.header.length <= longestTitle;
    const part = isTitle ? read(at.header) : undefined;
    return part ? [{ ...part, at }] : [];
  });
  const byRest = new Map<string, Step[]>();
  for (const step of found) {
    const key = folded(step.rest);
    byRest.set(key, [...(byRest.get(key) ?? []), step]);
  }
  const several = [...byRest.values()].filter((steps) => isSeries(kind, steps, byRest.size));
  const [first] = several;
  if (!first) return undefined;
  const labels = first.map(({ label }) => folded(label));
  const alike = several.filter((steps) => isSame(labels, steps));
  // Two things that were counted at the same steps are two values of each.
  if (!isLongEnough(kind, first.length, alike.length)) return undefined;
  if (!alike.every((steps) => areOfOneKind(steps, data))) return undefined;
  const taken = new Set(alike.flat().map(({ at }) => at.column));
  if (kind === "number" && !isUnbroken(taken, columns)) return undefined;
  return {
    kind,
    groups: first.map(({ label }, at) => ({
      label,
      columns: alike.map((steps) => steps[at]?.at.column),
    })),
    values: alike.map(([step]) => step?.rest || undefined),
    totals: columns.filter((column) => !taken.has(column.column) && isTotalOf(column, alike, data)),
  };
}

function isSeries(kind: SeriesKind, steps: readonly Step[], kinds: number): boolean {
  const labels = steps.map(({ label }) => folded(label));
  if (steps.length < 2 || new Set(labels).size < labels.length) return false;
  if (kind !== "number") return true;
  const numbers = labels.map(Number);
  const start = numbers[0] ?? 0;
  if (start > 1 || !numbers.every((number, at) => number === start + at)) return false;
  const rest = steps[0]?.rest ?? "";
  if (rest === "") return steps.length >= 5 && kinds === 1;
  return !together.test(rest);
}

function isLongEnough(kind: SeriesKind, length: number, values: number): boolean {
  if (values > 1) return length >= 2;
  return length >= (kind === "date" ? 2 : 3);
}

function isSame(labels: readonly string[], steps: readonly Step[]): boolean {
  return (
    steps.length === labels.length && steps.every(({ label }, at) => folded(label) === labels[at])
  );
}

/** Whether the cells of all steps are of one kind, as far as they are filled. */
function areOfOneKind(steps: readonly Step[], data: readonly Row[]): boolean {
  const counts = new Map<string, number>();
  let all = 0;
  for (const { at } of steps) {
    for (const row of data) {
      const cell = row[at.column] ?? null;
      if (isEmpty(cell)) continue;
      counts.set(kindOf(cell), (counts.get(kindOf(cell)) ?? 0) + 1);
      all++;
    }
  }
  return all > 0 && Math.max(...counts.values()) >= 0.7 * all;
}

/** Whether no other column is between those of the series. */
function isUnbroken(taken: ReadonlySet<number>, columns: readonly LayoutColumn[]): boolean {
  const places = columns.flatMap(({ column }, at) => (taken.has(column) ? [at] : []));
  return (places.at(-1) ?? 0) - (places[0] ?? 0) === places.length - 1;
}

/** Whether a column is called a sum, and is the sum of one value's steps in every row that has numbers. */
function isTotalOf(
  { column, header }: LayoutColumn,
  values: readonly (readonly Step[])[],
  data: readonly Row[],
): boolean {
  if (!sumWords.test(header.trim())) return false;
  return values.some((steps) =>
    (["point", "comma"] as const).some((sign) => {
      let right = 0;
      for (const row of data) {
        const said = numberIn(row[column] ?? null, sign);
        if (said === undefined) continue;
        const sum = steps.reduce(
          (all, { at }) => all + (numberIn(row[at.column] ?? null, sign) ?? 0),
          0,
        );
        if (Math.abs(said - sum) > 0.005 * Math.max(1, Math.abs(sum))) return false;
        right++;
      }
      return right > 0;
    }),
  );
}

function numberIn(cell: Cell, sign: "point" | "comma"): number | undefined {
  if (typeof cell === "number") return cell;
  if (cell !== null && typeof cell === "object" && "number" in cell) return cell.number;
  const found = typeof cell === "string" ? findNumber(cell)?.[sign] : undefined;
  return found === undefined ? undefined : Number(found);
}
