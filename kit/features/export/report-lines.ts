import type { Scope } from "../../access/scope.ts";
import type { ReportResult } from "../../store/report/run.ts";
import { reportColumns, reportLines, type Told } from "../../store/report/told.ts";

/** A cell of a report as a file has it. */
export type ReportCell = Told | string | null;

/** A report as lines of a file. */
export interface ReportSheet {
  heading: string[];
  lines: { cells: ReportCell[]; depth: number; isSum: boolean; isMarked: boolean }[];
}

/** A report as lines: a column for each thing that its rows are grouped by, then one for each figure, and the sums among them. */
export function reportSheet(scope: Scope, result: ReportResult): ReportSheet {
  const { dimensions, figures } = result;
  const words = scope.messages.report;
  const groups = dimensions.map(({ label, per }) =>
    per ? words.byPeriod(label, words.periods[per]) : label,
  );
  const columns = reportColumns(result, words.total);
  const told = columns.flatMap(({ label: within, figures: places }) =>
    places.map((at) => {
      const label = figures[at]?.label ?? "";
      if (within === undefined) return label;
      return figures.length > 1 ? `${within}: ${label}` : within;
    }),
  );
  const width = Math.max(1, dimensions.length);
  const lines = reportLines(result, columns).map(({ group, depth, isWhole, isMarked, columns }) => {
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
