import { andList, snakeCase } from "../naming/words.ts";
import { listSign } from "./cell-lists.ts";
import type { Draft, DraftColumn } from "./draft.ts";
import type { SheetNotes, SplitPlan } from "./plan.ts";
import { isIdentifying } from "./relationships.ts";
import { entityOfColumn, untaken } from "./titles.ts";

/** Columns that always repeat together, as entities of their own. */
export function proposeSplits(
  { sheet, entity: own, columns }: Draft,
  { entities, language }: { entities: Set<string>; language: string },
  notes: SheetNotes,
): SplitPlan[] {
  const found = sheet.profile.dependencies.found();
  const usable = (at: number) => {
    const column = columns[at];
    return (
      column !== undefined &&
      !column.link &&
      column.finding.kind !== "boolean" &&
      column.profile.distinct.size > 1
    );
  };
  const groups = columns
    .map((column, by) => ({
      column,
      by,
      pairs: found.filter((pair) => pair.by === by && usable(pair.on)),
    }))
    .filter(
      ({ column, by, pairs }) => usable(by) && pairs.length > 0 && isLookup(column, pairs.length),
    )
    .sort((a, b) => b.pairs.length - a.pairs.length || a.by - b.by);
  const used = new Set<number>();
  const splits: SplitPlan[] = [];
  for (const { column, by, pairs } of groups) {
    const free = pairs.filter(({ on }) => !used.has(on));
    if (used.has(by) || free.length === 0) continue;
    for (const { on } of [...free, { on: by }]) used.add(on);
    const parts = areLines(column, free);
    // In a sheet of loans, the number is that of a loan, and the rows are lines of it.
    const isOwn = parts && numberOnly.test(column.name);
    const entity = isOwn ? own : entityOfColumn(column.name, { taken: entities, language });
    entities.add(entity);
    // What was a number of the record is the record now.
    if (parts) column.name = untaken(snakeCase(entity), namesBeside(columns, column));
    splits.push({
      entity,
      by: column.name,
      with: free.map(({ on }) => columns[on]?.name ?? ""),
      ...(parts && { parts }),
      do: parts,
    });
    const together = [column, ...free.map(({ on }) => columns[on])].map(
      (each) => each?.profile.header || each?.name || "",
    );
    notes.splits.set(entity, [
      `${andList(together)} repeat together: ${column.profile.distinct.size} in ${sheet.profile.rows} rows`,
      ...free.flatMap(({ on, contradictions, firstContradictions }) =>
        contradictions === 0
          ? []
          : [
              `${columns[on]?.profile.header} contradicts in ${firstContradictions.map((row) => sheet.addresses.cell(columns[on]?.profile.column ?? 0, row)).join(", ")}`,
            ],
      ),
    ]);
  }
  return [...splits, ...listSplits(columns, { entities, language }, used, notes)];
}

function namesBeside(columns: readonly DraftColumn[], column: DraftColumn): Set<string> {
  return new Set(columns.filter((other) => other !== column).map(({ name }) => name));
}

/** Columns whose cells list names that no other sheet has: these become records. */
function listSplits(
  columns: readonly DraftColumn[],
  { entities, language }: { entities: Set<string>; language: string },
  used: ReadonlySet<number>,
  notes: SheetNotes,
): SplitPlan[] {
  return columns.flatMap((column, at): SplitPlan[] => {
    const { finding, profile, link } = column;
    const isText = finding.kind === "text" || finding.kind === "long text";
    if (!isText || link || used.has(at) || profile.distinct.overflowed) return [];
    const sign = listSign(profile.distinct.values.values());
    if (sign === undefined) return [];
    const entity = entityOfColumn(column.name, { taken: entities, language });
    entities.add(entity);
    notes.splits.set(entity, [
      `${profile.header || column.name} lists several names in a cell, with ${JSON.stringify(sign)} between them`,
    ]);
    return [{ entity, by: column.name, with: [], list: sign, do: true }];
  });
}

const numberOnly = /^(no|nr|num|number|id|n[uú]mero|nummer|num[eé]ro)$/;

/** Whether rows are the lines of what their first column numbers: nothing that repeats with it contradicts. */
function areLines(
  column: DraftColumn,
  pairs: readonly { on: number; contradictions: number }[],
): boolean {
  const isNumbering = numberOnly.test(column.name.split("_").at(-1) ?? "");
  const isSure = pairs.every(({ contradictions }) => contradictions === 0);
  return (
    column.at === 0 && isNumbering && pairs.length >= 2 && isSure && column.profile.blanks === 0
  );
}

/** A text that repeats often enough to be a thing of its own, with more than a chance value beside it. */
function isLookup(column: DraftColumn, companions: number): boolean {
  const { finding, profile } = column;
  const { distinct, filled } = profile;
  // The numbers of orders and their like, not amounts.
  const isNumbered = finding.kind === "integer" && isIdentifying(column);
  if (finding.kind !== "text" && finding.kind !== "choice" && !isNumbered) return false;
  const times = companions > 1 ? (isNumbered ? 1.5 : 2) : 4;
  return distinct.size >= 3 && filled >= distinct.size * times;
}
