import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import {
  bindValue,
  dayOf,
  inBackground,
  troubleOf,
  unindexed,
} from "../../database/current-dialect.ts";
import type { Entity } from "../../entity/entity.ts";
import type { Complaint } from "../../formula/complaint.ts";
import type { FigureKind, Mark, Report } from "../../formula/report.ts";
import { type Ahead, aheadBetween } from "../../formula/zones.ts";
import { AskedFormulas } from "../asked-formulas.ts";
import { conditions, where } from "../list/conditions.ts";
import { titlesOf } from "../list/facets.ts";
import type { ListRequest } from "../list/request.ts";
import { logError } from "../log.ts";
import { type ReadyDimension, readyDimension } from "./dimensions.ts";
import { type ReadyFigure, readyFigure } from "./figures.ts";
import { added, nothing, type Tally } from "./tally.ts";

/** The most groups that a report can have. */
const mostRows = 10_000;

/** What is wrong with a part of a report, as it is written. */
export interface Trouble {
  text: string;
  complaint: Complaint;
}

/** Rows that are put together: those with a key, and within them those with another one. */
export interface Group {
  /** Of each dimension down to this one; undefined for the others together. */
  keys: readonly (string | undefined)[];
  /** What people read. */
  label: string;
  tally: Tally;
  /** What stands beside each other, by its key. */
  across: ReadonlyMap<string, Tally>;
  groups: readonly Group[];
}

/** A report with its figures. */
export interface ReportResult {
  dimensions: readonly ReadyDimension[];
  across:
    | { dimension: ReadyDimension; columns: readonly { key: string; label: string }[] }
    | undefined;
  figures: readonly ReadyFigure[];
  /** By what some groups stand out. */
  mark: Mark | undefined;
  /** Whether there is a zero where a pivot has no rows. */
  hasZeros: boolean;
  /** All rows together. */
  whole: Group;
  /** Why it isn't made: there were more groups than a report can have, or it took too long. */
  refused?: "many" | "slow";
}

/**
 * Makes a report of the rows that a list finds, of those that the person sees. One statement gives the finest groups; all
 * sums above them are those of their parts.
 */
export async function runReport(
  asked: Scope,
  entity: Entity,
  request: ListRequest,
  report: Report,
): Promise<{ result?: ReportResult; troubles: Trouble[] }> {
  const scope = asked.within(inBackground(asked.db));
  const { troubles, ...ready } = readyReport(scope, entity, report);
  if (troubles.length > 0) return { troubles };
  const { dimensions, across, figures } = ready;
  const all = across ? [...dimensions, across] : dimensions;
  const found = await unlessSlow(talliesOf(scope, entity, request, { dimensions: all, figures }));
  const refused = found === undefined ? "slow" : found.length > mostRows ? "many" : undefined;
  const finest = refused ? [] : (found ?? []);
  const labels = await Promise.all(
    all.map((each, at) => labelsOf(scope, each, new Set(finest.map(({ keys }) => keys[at] ?? "")))),
  );
  const columns = labels[dimensions.length];
  const result: ReportResult = {
    dimensions,
    across: across && {
      dimension: across,
      columns: [...(columns ?? [])].map(([key, label]) => ({ key, label })),
    },
    figures,
    mark: report.mark,
    hasZeros: report.blanks === "zero",
    whole: groupOf(finest, { keys: [], label: "" }, { dimensions, labels, report, scope, figures }),
    ...(refused && { refused }),
  };
  return { result, troubles };
}

/** What was asked for; undefined where the database took too long, and was stopped. */
async function unlessSlow<Found>(found: Promise<Found>): Promise<Found | undefined> {
  try {
    return await found;
  } catch (error) {
    if (troubleOf(error) !== "slow") throw error;
    logError(error, "making a report");
    return undefined;
  }
}

/** Why a report isn't made, in words; undefined where it is. */
export function refusalOf(scope: Scope, { refused }: ReportResult): string | undefined {
  const { report } = scope.messages;
  if (refused === undefined) return undefined;
  return refused === "many" ? report.tooMany(scope.format.number(mostRows)) : report.tooSlow;
}

/** The parts of a report, ready to be asked for, and what is wrong with others. */
export interface ReadyReport {
  dimensions: readonly ReadyDimension[];
  across: ReadyDimension | undefined;
  figures: readonly ReadyFigure[];
  troubles: Trouble[];
}

/** Reads what a report asks for, without asking for it. */
export function readyReport(scope: Scope, entity: Entity, report: Report): ReadyReport {
  const troubles: Trouble[] = [];
  const formulas = new AskedFormulas(scope);
  const sound = <Ready extends object>(text: string, ready: Ready | { complaint: Complaint }) => {
    if (!("complaint" in ready)) return [ready];
    troubles.push({ text, complaint: ready.complaint });
    return [];
  };
  const dimensions = report.groups.flatMap((each) =>
    sound(each.formula, readyDimension(scope, entity, each, formulas)),
  );
  const [across] = report.across
    ? sound(report.across.formula, readyDimension(scope, entity, report.across, formulas))
    : [];
  const figures = report.figures.flatMap((each) =>
    sound(each.kind === "count" ? "" : each.of, readyFigure(scope, entity, each, formulas)),
  );
  return { dimensions, across, figures, troubles };
}

/** The rows of one group of all dimensions. */
interface Finest {
  keys: readonly string[];
  tally: Tally;
}

/** What is asked of the values of a figure: their sum, their number, the smallest, the largest. */
const needs: Readonly<Record<FigureKind, readonly ("s" | "c" | "a" | "z")[]>> = {
  count: [],
  sum: ["s"],
  average: ["s", "c"],
  smallest: ["a"],
  largest: ["z"],
};

async function talliesOf(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  {
    dimensions,
    figures,
  }: { dimensions: readonly ReadyDimension[]; figures: readonly ReadyFigure[] },
): Promise<Finest[]> {
  const wanted = await conditions(scope, entity, request);
  // What is only counted can be told by an index alone; for anything else, the rows themselves are read.
  const isCounting =
    wanted.length === 0 && scope.seesAll(entity) && figures.every(({ formula }) => !formula);
  const keys = dimensions.map(({ value, column }, at) => {
    const key = column && !isCounting ? unindexed(value, column) : value;
    return sql`${key} as ${sql.id(`k${at}`)}`;
  });
  const values = figures.flatMap(({ formula }, at) =>
    formula && placeOf(figures, at) === at ? [sql`${formula.value} as ${sql.id(`v${at}`)}`] : [],
  );
  const rows = sql`select ${sql.join([...keys, ...values, sql`1 as one`])}
    from ${scope.rowsOf(entity)} as ${sql.table(entity.table)} ${where(wanted)}`;
  const named = dimensions.map((_, at) => sql.id(`k${at}`));
  const counted = await withDays(scope, rows, dimensions, figures);
  const told = figures.flatMap(({ figure, formula }, at): RawBuilder<unknown>[] => {
    if (!formula) return [];
    const place = placeOf(figures, at);
    const value = sql.id(`v${place}`);
    const all = {
      s: sql`sum(${value}) as ${sql.id(`s${place}`)}`,
      c: sql`count(${value}) as ${sql.id(`c${place}`)}`,
      a: sql`min(${value}) as ${sql.id(`a${place}`)}`,
      z: sql`max(${value}) as ${sql.id(`z${place}`)}`,
    };
    // What several figures of one formula need is asked for once.
    const first = placeOf(figures, at);
    const known = figures
      .slice(0, at)
      .flatMap((each, place) => (placeOf(figures, place) === first ? needs[each.figure.kind] : []));
    return needs[figure.kind].filter((name) => !known.includes(name)).map((name) => all[name]);
  });
  const by = named.length > 0 ? sql`group by ${sql.join(named)}` : sql``;
  const { rows: found } = await sql<Record<string, unknown>>`
    select ${sql.join([...named, sql`count(*) as n`, ...told])} from (${counted}) as counted
    ${by} limit ${sql.lit(mostRows + 1)}`.execute(scope.db);
  return found.map((row) => ({
    keys: dimensions.map(({ key }, at) => key(row[`k${at}`])),
    tally: {
      rows: Number(row.n),
      of: figures.map(({ formula, type }, at) => {
        if (!formula) return nothing;
        const place = placeOf(figures, at);
        const read = (value: unknown) =>
          value === null || value === undefined
            ? undefined
            : type === "date"
              ? String(value)
              : Number(value);
        return {
          sum: Number(row[`s${place}`] ?? 0),
          filled: Number(row[`c${place}`] ?? 0),
          smallest: read(row[`a${place}`]),
          largest: read(row[`z${place}`]),
        };
      }),
    },
  }));
}

/** The same rows, with the days of moments by the person's clock in the place of these. */
async function withDays(
  scope: Scope,
  rows: RawBuilder<unknown>,
  dimensions: readonly ReadyDimension[],
  figures: readonly ReadyFigure[],
): Promise<RawBuilder<unknown>> {
  const moments = dimensions.flatMap(({ isMoment }, at) => (isMoment ? [at] : []));
  if (moments.length === 0) return rows;
  const ends = moments.flatMap((at) => {
    const key = sql.id(`k${at}`);
    return [
      sql`${dayOf(sql`min(${key})`, 0)} as ${sql.id(`a${at}`)}`,
      sql`${dayOf(sql`max(${key})`, 0)} as ${sql.id(`z${at}`)}`,
    ];
  });
  const { rows: found } = await sql<Record<string, string | null>>`
    select ${sql.join(ends)} from (${rows}) as spanned`.execute(scope.db);
  const keys = dimensions.map(({ isMoment }, at) => {
    const key = sql.id(`k${at}`);
    if (!isMoment) return key;
    const [from, to] = [found[0]?.[`a${at}`], found[0]?.[`z${at}`]];
    if (!from || !to) return sql`null as ${key}`;
    return sql`${dayByClock(key, aheadBetween(scope.timezone, from, to))} as ${key}`;
  });
  const values = figures.flatMap(({ formula }, at) =>
    formula && placeOf(figures, at) === at ? [sql.id(`v${at}`)] : [],
  );
  return sql`select ${sql.join([...keys, ...values, sql`one`])} from (${rows}) as clocked`;
}

function dayByClock(moment: RawBuilder<unknown>, ahead: readonly Ahead[]): RawBuilder<unknown> {
  const cases = ahead.flatMap(({ until, seconds }) =>
    until === undefined
      ? []
      : [sql`when ${moment} < ${bindValue("datetime", until)} then ${dayOf(moment, seconds)}`],
  );
  const last = dayOf(moment, ahead.at(-1)?.seconds ?? 0);
  return cases.length === 0 ? last : sql`case ${sql.join(cases, sql` `)} else ${last} end`;
}

/** Several figures of one formula look at one value of each row: that of the first. */
function placeOf(figures: readonly ReadyFigure[], at: number): number {
  return figures.findIndex(({ formula }) => formula && formula.text === figures[at]?.formula?.text);
}

/** What the keys of a dimension are called, in their order. */
async function labelsOf(
  scope: Scope,
  dimension: ReadyDimension,
  keys: ReadonlySet<string>,
): Promise<ReadonlyMap<string, string>> {
  const { target, field, type, per, isMonth } = dimension;
  const filled = [...keys].filter((key) => key !== "");
  const titles = target ? await titlesOf(scope, target, filled.map(Number)) : undefined;
  const label = (key: string) => {
    if (titles) return titles.get(Number(key)) ?? `#${key}`;
    if (per) return scope.format.period(per, key);
    if (isMonth) return scope.format.monthName(Number(key));
    if (field?.choices) return scope.translated(field.choices[key] ?? key);
    if (type === "boolean") return scope.format.boolean(key === "yes");
    if (type === "number" || type === "span") return scope.format.number(Number(key));
    return key;
  };
  const choices = Object.keys(field?.choices ?? {});
  const named = filled.map((key) => [key, label(key)] as const);
  const letters = new Intl.Collator(scope.language, { numeric: true });
  named.sort(([one, oneLabel], [other, otherLabel]) => {
    if (choices.length > 0) return choices.indexOf(one) - choices.indexOf(other);
    if (type === "number" && !target) return Number(one) - Number(other);
    if (per) return one < other ? -1 : 1;
    return letters.compare(oneLabel, otherLabel);
  });
  const blank = keys.has("") ? [["", scope.messages.isBlank] as const] : [];
  return new Map([...named, ...blank]);
}

interface Making {
  dimensions: readonly ReadyDimension[];
  labels: readonly ReadonlyMap<string, string>[];
  report: Report;
  scope: Scope;
  figures: readonly ReadyFigure[];
}

/** Puts groups together, those within them first. */
function groupOf(
  finest: readonly Finest[],
  { keys, label }: Pick<Group, "keys" | "label">,
  making: Making,
): Group {
  const { dimensions, labels, report, scope, figures } = making;
  const depth = dimensions.length;
  const at = keys.length;
  const tally = finest.map((each) => each.tally).reduce(added, emptyOf(figures.length));
  const across = new Map<string, Tally>();
  if (report.across) {
    for (const each of finest) {
      const key = each.keys[depth] ?? "";
      across.set(key, added(across.get(key) ?? emptyOf(figures.length), each.tally));
    }
  }
  if (at >= depth || keys.includes(undefined)) return { keys, label, tally, across, groups: [] };
  const parts = new Map<string, Finest[]>();
  for (const each of finest) {
    const key = each.keys[at] ?? "";
    const known = parts.get(key);
    if (known) known.push(each);
    else parts.set(key, [each]);
  }
  const groups = [...(labels[at] ?? [])].flatMap(([key, name]) => {
    const part = parts.get(key);
    return part ? [groupOf(part, { keys: [...keys, key], label: name }, making)] : [];
  });
  // Within a group, periods and months stay in their order.
  const isInOrder = dimensions[at]?.per !== undefined || dimensions[at]?.isMonth === true;
  const ordered = at > 0 && isInOrder ? groups : orderedBy(groups, report, figures);
  const shown = at === 0 && report.first !== undefined ? ordered.slice(0, report.first) : ordered;
  if (shown.length === ordered.length) return { keys, label, tally, across, groups: ordered };
  const alone = new Set(shown.map((group) => group.keys[0]));
  const others = groupOf(
    finest.filter((each) => !alone.has(each.keys[0])),
    { keys: [undefined], label: scope.messages.other },
    making,
  );
  return { keys, label, tally, across, groups: [...shown, others] };
}

function orderedBy(groups: Group[], { order }: Report, figures: readonly ReadyFigure[]): Group[] {
  const figure = order && figures[order.figure];
  if (!order || !figure) return groups;
  const value = ({ tally }: Group) => figureValue(figure, tally, order.figure);
  return groups.toSorted((one, other) => {
    const [left, right] = [value(one), value(other)];
    if (left === right) return 0;
    if (left === undefined || right === undefined) return left === undefined ? 1 : -1;
    return (left < right ? -1 : 1) * (order.descending ? -1 : 1);
  });
}

/** What is counted of no rows. */
export function emptyOf(figures: number): Tally {
  return { rows: 0, of: Array.from({ length: figures }, () => nothing) };
}

/** What a figure comes to; undefined of nothing. Days are texts. */
export function figureValue(
  { figure, places }: ReadyFigure,
  tally: Tally,
  at: number,
): number | string | undefined {
  if (figure.kind === "count") return tally.rows;
  const { sum, filled, smallest, largest } = tally.of[at] ?? nothing;
  switch (figure.kind) {
    case "sum":
      return rounded(sum, places);
    case "average":
      return filled === 0 ? undefined : rounded(sum / filled, places);
    case "smallest":
      return smallest;
    case "largest":
      return largest;
  }
}

function rounded(value: number, places: number): number {
  return Number(value.toFixed(places)) + 0;
}
