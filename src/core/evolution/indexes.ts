import { columnsNeeded, type Index, type Table } from "../schema/schema.ts";
import type { Change } from "./change.ts";
import { alike, type ChangeColumn, isExact, type Step } from "./steps.ts";

/**
 * What becomes of the indexes of a table. `isAdded` tells the columns that go and come again, `mayMeet` those
 * that change so that different values may become the same.
 */
export function indexChanges(
  before: Table,
  table: Table,
  isAdded: (column: string) => boolean,
  mayMeet: (column: string) => boolean,
): Change[] {
  const changes: Change[] = [];
  const added = (index: Index) => columnsNeeded(index).some(isAdded);
  const gone = missingFrom(before.indexes, table.indexes, added);
  const come = missingFrom(table.indexes, before.indexes, added);
  const same = (one: Index, other: Index) => sameColumns(one)(other) && one.words === other.words;
  /** What only helps to find rows, or gets another name, is nothing to decide about. */
  const plain: Step[] = [];
  const sort = (indexes: Index[], others: Index[], kind: "drop index" | "add index") => {
    for (const index of indexes) {
      const step: Step = { kind, table: table.name, index };
      const counting = index.unique && others.find(sameColumns(index));
      if (counting && counting.inUse !== index.inUse) {
        if (kind === "add index") changes.push(countsOthers(table.name, counting, index));
        continue;
      }
      if (index.words && !others.some(({ words }) => words)) {
        changes.push({
          table: table.name,
          sentence: `${table.name} ${kind === "add index" ? "gets an index" : "loses its index"} of parts of words`,
          steps: [step],
        });
      } else if (!index.unique || others.some((other) => same(index, other))) plain.push(step);
      else {
        changes.push({
          table: table.name,
          ...(index.columns[0] && { column: index.columns[0] }),
          sentence: `${told(table.name, index)} ${kind === "add index" ? `has to be unique${among(index)}` : "no longer has to be unique"}`,
          steps: [step],
        });
      }
    }
  };
  for (const index of table.indexes) {
    const stays = !come.includes(index) && index.unique;
    if (!stays || !index.columns.some(mayMeet)) continue;
    // Taken away and made again, so that rows that have become the same are found, and told.
    changes.push({
      table: table.name,
      ...(index.columns[0] && { column: index.columns[0] }),
      sentence: `${told(table.name, index)} has to stay unique`,
      steps: [
        { kind: "drop index", table: table.name, index },
        { kind: "add index", table: table.name, index },
      ],
    });
  }
  sort(gone, come, "drop index");
  sort(come, gone, "add index");
  if (plain.length === 0) return changes;
  const sentence = `the indexes of ${table.name} follow its columns`;
  changes.push({ table: table.name, sentence, steps: plain });
  return changes;
}

const told = (table: string, { columns }: Index) => `${table} (${columns.join(", ")})`;

const among = ({ inUse }: Index) => (inUse ? " among the rows in use" : "");

const sameColumns = (one: Index) => (other: Index) =>
  alike(one.columns, other.columns) && one.unique === other.unique;

/** Archived rows count where they didn't, or no longer do. */
function countsOthers(table: string, from: Index, to: Index): Change {
  const [column] = to.columns;
  return {
    table,
    ...(column && { column }),
    sentence: `${told(table, to)} has to be unique among ${to.inUse ? "the rows in use only" : "archived rows too"}`,
    steps: [
      { kind: "drop index", table, index: from },
      { kind: "add index", table, index: to },
    ],
  };
}

function missingFrom(
  indexes: readonly Index[],
  others: readonly Index[],
  added: (index: Index) => boolean,
): Index[] {
  return indexes.filter((index) => added(index) || !others.some((other) => alike(index, other)));
}

/** The columns of a table whose changes may make the same of different values, forward or back. */
export function mayMeet(table: string, changes: readonly Change[]): Set<string> {
  const steps = changes.flatMap((change) => change.steps);
  return new Set(
    steps.flatMap((step) =>
      step.kind === "change column" && step.table === table && joins(step) ? [step.to.name] : [],
    ),
  );
}

function joins({ from, to, fill }: ChangeColumn): boolean {
  return fill !== undefined || !isExact(from.type, to.type) || !isExact(to.type, from.type);
}
