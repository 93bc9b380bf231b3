import type { ReadyFigure } from "./figures.ts";
import type { Mark } from "./report.ts";
import { figureValue, type Group, type ReportResult } from "./run.ts";
import type { Tally } from "./tally.ts";

/** A figure of a group as it is told: itself, a part of the whole, or a difference; undefined of nothing. */
export interface Told {
  figure: ReadyFigure;
  value: number | string | undefined;
  /** Whether the value is a ratio: 0.12 for 12 percent. */
  isRatio: boolean;
}

/** A line of a report: a group, or all rows together. */
export interface ReportLine {
  group: Group;
  /** How deep it is within others; 0 for the outermost groups and for the whole. */
  depth: number;
  isWhole: boolean;
  /** The figures of each column of a pivot, and those of the whole group at the end. */
  columns: readonly { key: string | undefined; told: readonly Told[]; isMarked: boolean }[];
  isMarked: boolean;
}

/** The lines of a report, each group before those within it, and the whole at the end. */
export function reportLines(result: ReportResult): ReportLine[] {
  const { whole, mark } = result;
  const marked = mark ? markedGroups(result, mark) : new Set<Group>();
  const lines = (groups: readonly Group[]): ReportLine[] =>
    groups.flatMap((group, at) => [
      lineOf(result, group, {
        before: groups[at - 1],
        isMarked: marked.has(group),
        isWhole: false,
      }),
      ...lines(group.groups),
    ]);
  return [
    ...lines(whole.groups),
    lineOf(result, whole, { before: undefined, isMarked: false, isWhole: true }),
  ];
}

function lineOf(
  result: ReportResult,
  group: Group,
  { before, isMarked, isWhole }: { before: Group | undefined; isMarked: boolean; isWhole: boolean },
): ReportLine {
  const { figures, across, whole, mark } = result;
  const columns = across?.columns ?? [];
  const told = (tally: Tally | undefined, earlier: Tally | undefined) =>
    figures.map((figure, at) => toldOf(figure, at, { tally, earlier, whole: whole.tally }));
  const isOver = (tally: Tally | undefined) =>
    mark !== undefined && tally !== undefined && isBeyond(figures[mark.figure], tally, mark);
  return {
    group,
    depth: Math.max(0, group.keys.length - 1),
    isWhole,
    columns: [
      ...columns.map(({ key }, at) => {
        const tally = group.across.get(key);
        const earlier = at > 0 ? group.across.get(columns[at - 1]?.key ?? "") : undefined;
        return { key, told: told(tally, earlier), isMarked: !isWhole && isOver(tally) };
      }),
      {
        key: undefined,
        // Beside others, a column tells how it differs from the one before; what is below each other, from the one above.
        told: told(group.tally, across ? undefined : before?.tally),
        isMarked: !isWhole && isOver(group.tally),
      },
    ],
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

function isBeyond(figure: ReadyFigure | undefined, tally: Tally, mark: Mark): boolean {
  const value = figure && figureValue(figure, tally, mark.figure);
  if (typeof value !== "number") return false;
  if (mark.kind === "below") return value < mark.value;
  return mark.kind === "above" && value > mark.value;
}

function compared(one: number | string | undefined, other: number | string | undefined): number {
  return (one ?? 0) < (other ?? 0) ? -1 : (one ?? 0) > (other ?? 0) ? 1 : 0;
}
