import type { Scope } from "../../access/scope.ts";
import type { ReportResult } from "../../store/report/run.ts";
import { reportLines, type Told } from "../../store/report/told.ts";

/** A cell of a report as a file has it. */
export type ReportCell = Told | string | null;

/** A report as lines of a file. */
export interface ReportSheet {
  heading: string[];
  lines: { cells: ReportCell[]; depth: number; isSum: boolean; isMarked: boolean }[];
}

/** A report as lines: a column for each thing that its rows are grouped by, then one for each figure, and the sums among them. */
export function reportSheet(scope: Scope, result: ReportResult): ReportSheet {
  const { dimensions, figures, across } = result;
  const words = scope.messages.report;
  const groups = dimensions.map(({ label, per }) =>
    per ? words.byPeriod(label, words.periods[per]) : label,
  );
  const columns = [...(across?.columns.map(({ label }) => label) ?? []), undefined];
  const told = columns.flatMap((column) =>
    figures.map(({ label }) => {
      const within = column ?? (across ? words.total : undefined);
      if (within === undefined) return label;
      return figures.length > 1 ? `${within}: ${label}` : within;
    }),
  );
  const width = Math.max(1, dimensions.length);
  const lines = reportLines(result).map(({ group, depth, isWhole, isMarked, columns }) => {
    const labels = Array.from({ length: width }, (): string | null => null);
    labels[depth] = isWhole ? words.total : group.label;
    return {
      cells: [...labels, ...columns.flatMap(({ told }): ReportCell[] => [...told])],
      depth,
      isSum: isWhole || group.groups.length > 0,
      isMarked,
    };
  });
  const heading = groups.length > 0 ? groups : [words.total];
  return { heading: [...heading, ...told], lines };
}
