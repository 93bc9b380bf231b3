import type { Mark } from "../../formula/report.ts";
import type { ReadyFigure } from "./figures.ts";
import { emptyOf, figureValue, type Group, type ReportResult } from "./run.ts";
import type { Tally } from "./tally.ts";

/** A figure of a group as it is told: itself, a part of the whole, or a difference; undefined of nothing. */
export interface Told {
  figure: ReadyFigure;
  value: number | string | undefined;
  /** Whether the value is a ratio: 0.12 for 12 percent. */
  isRatio: boolean;
}

/** Figures beside each other: those of a value that stands across, or of whole groups. */
export interface ReportColumn {
  key: string | undefined;
  /** What stands above it; undefined where there is nothing across. */
  label: string | undefined;
  /** The figures in it, by their places: there is no change where nothing is before. */
  figures: readonly number[];
}

/** The columns of a report, those of whole groups at the end. */
export function reportColumns({ across, figures }: ReportResult, total: string): ReportColumn[] {
  const all = figures.map((_, at) => at);
  const unchanged = all.filter((at) => figures[at]?.figure.as !== "change");
  if (!across) return [{ key: undefined, label: undefined, figures: all }];
  return [
    ...across.columns.map(({ key, label }, at) => ({
      key,
      label,
      figures: at === 0 ? unchanged : all,
    })),
    { key: undefined, label: total, figures: unchanged },
  ].filter(({ figures }) => figures.length > 0);
}

/** A line of a report: a group, or all rows together. */
export interface ReportLine {
  group: Group;
  /** How deep it is within others; 0 for the outermost groups and for the whole. */
  depth: number;
  isWhole: boolean;
  /** The figures of each column. */
  columns: readonly { column: ReportColumn; told: readonly Told[]; isMarked: boolean }[];
  isMarked: boolean;
}

/** The lines of a report, each group before those within it, and the whole at the end. */
export function reportLines(result: ReportResult, columns: readonly ReportColumn[]): ReportLine[] {
  const { whole, mark } = result;
  const marked = mark ? markedGroups(result, mark) : new Set<Group>();
  const lines = (groups: readonly Group[]): ReportLine[] =>
    groups.flatMap((group, at) => [
      lineOf(result, columns, group, {
        before: groups[at - 1],
        isMarked: marked.has(group),
        isWhole: false,
      }),
      ...lines(group.groups),
    ]);
  return [
    ...lines(whole.groups),
    lineOf(result, columns, whole, { before: undefined, isMarked: false, isWhole: true }),
  ];
}

function lineOf(
  result: ReportResult,
  columns: readonly ReportColumn[],
  group: Group,
  { before, isMarked, isWhole }: { before: Group | undefined; isMarked: boolean; isWhole: boolean },
): ReportLine {
  const { figures, across, whole, mark } = result;
  const none = result.hasZeros ? emptyOf(figures.length) : undefined;
  const tallyOf = (key: string | undefined) =>
    key === undefined ? group.tally : (group.across.get(key) ?? none);
  return {
    group,
    depth: Math.max(0, group.keys.length - 1),
    isWhole,
    columns: columns.map((column) => {
      const tally = tallyOf(column.key);
      // What stands across differs from what is beside it; groups differ from those above them.
      const place = across?.columns.findIndex(({ key }) => key === column.key) ?? -1;
      const beside = place > 0 ? tallyOf(across?.columns[place - 1]?.key) : undefined;
      const earlier = across ? beside : before?.tally;
      return {
        column,
        told: column.figures.flatMap((at) => {
          const figure = figures[at];
          return figure ? [toldOf(figure, at, { tally, earlier, whole: whole.tally })] : [];
        }),
        isMarked: !isWhole && mark !== undefined && isBeyond(figures[mark.figure], tally, mark),
      };
    }),
    isMarked,
  };
}

function toldOf(
  figure: ReadyFigure,
  at: number,
  { tally, earlier, whole }: { tally: Tally | undefined; earlier: Tally | undefined; whole: Tally },
): Told {
  const { as } = figure.figure;
  const value = tally && figureValue(figure, tally, at);
  if (as === undefined) return { figure, value, isRatio: false };
  const base = as === "share" ? whole : earlier;
  const against = base && figureValue(figure, base, at);
  const isKnown = typeof value === "number" && typeof against === "number" && against !== 0;
  const ratio = isKnown ? value / against - (as === "change" ? 1 : 0) : undefined;
  return { figure, value: ratio, isRatio: true };
}

/** The outermost groups that a mark is of: the lowest or the highest few. */
function markedGroups({ whole, figures }: ReportResult, mark: Mark): ReadonlySet<Group> {
  const figure = figures[mark.figure];
  if (!figure || (mark.kind !== "lowest" && mark.kind !== "highest")) return new Set();
  const value = (group: Group) => figureValue(figure, group.tally, mark.figure);
  const sign = mark.kind === "lowest" ? 1 : -1;
  return new Set(
    whole.groups
      .filter((group) => !group.keys.includes(undefined) && value(group) !== undefined)
      .toSorted((one, other) => sign * compared(value(one), value(other)))
      .slice(0, Math.max(0, mark.value)),
  );
}

function isBeyond(figure: ReadyFigure | undefined, tally: Tally | undefined, mark: Mark): boolean {
  const value = figure && tally && figureValue(figure, tally, mark.figure);
  if (typeof value !== "number") return false;
  if (mark.kind === "below") return value < mark.value;
  return mark.kind === "above" && value > mark.value;
}

function compared(one: number | string | undefined, other: number | string | undefined): number {
  return (one ?? 0) < (other ?? 0) ? -1 : (one ?? 0) > (other ?? 0) ? 1 : 0;
}
