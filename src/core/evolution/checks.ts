import type { RowCheck } from "../model/model.ts";
import { type Schema, type Table, tableNamed } from "../schema/schema.ts";
import type { Change } from "./change.ts";
import { tableBefore } from "./names-before.ts";
import { alike, type Step } from "./steps.ts";

/**
 * What becomes of the checks of a table. One that looks at a column which changes is taken away before that
 * and made again afterwards, so that it blocks nothing.
 */
export function checkChanges(from: Schema, table: Table, changes: readonly Change[]): Change[] {
  const steps = changes.flatMap((change) => change.steps);
  const former = tableBefore(table.name, steps);
  const before = former === undefined ? undefined : tableNamed(from, former);
  const { checks: old = [] } = before ?? {};
  const { checks: wanted = [] } = table;
  const touched = columnsTouched(steps, new Set([table.name, former ?? table.name]));
  const moves = ({ columns }: RowCheck) => columns.some((name) => touched.has(name));
  const same = (one: RowCheck, other: RowCheck) =>
    one.name === other.name && one.holds === other.holds && alike(one.columns, other.columns);
  const stays = (check: RowCheck) =>
    !moves(check) && [old, wanted].every((all) => all.some((other) => same(check, other)));
  const gone = old.filter((check) => !stays(check));
  const come = wanted.filter((check) => !stays(check));
  const again = (check: RowCheck) => gone.some((other) => same(check, other));
  const drop = (check: RowCheck): Step => ({
    kind: "drop check",
    table: former ?? table.name,
    check,
  });
  const add = (check: RowCheck): Step => ({ kind: "add check", table: table.name, check });
  const made = (check: RowCheck, sentence: string, steps: Step[]): Change => ({
    table: table.name,
    ...(check.columns[0] && { column: check.columns[0] }),
    sentence,
    steps,
  });
  return [
    ...gone
      .filter((check) => !come.some((other) => same(check, other)))
      .map((check) =>
        made(check, `rows of ${table.name} no longer have to obey: ${check.holds}`, [drop(check)]),
      ),
    ...come.map((check) => {
      const known = gone.find((other) => same(check, other));
      const change = made(
        check,
        `rows of ${table.name} ${again(check) ? "still " : ""}have to obey: ${check.holds}`,
        known ? [drop(known), add(check)] : [add(check)],
      );
      return { ...change, check: check.name };
    }),
  ];
}

/** The columns of a table, whatever it is called, that steps do something to. */
export function columnsTouched(steps: readonly Step[], tables: ReadonlySet<string>): Set<string> {
  const touched = new Set<string>();
  const at = (table: string, ...columns: string[]) => {
    if (tables.has(table)) for (const column of columns) touched.add(column);
  };
  for (const step of steps) {
    switch (step.kind) {
      case "rename column":
        at(step.table, step.column, step.to);
        break;
      case "add column":
      case "drop column":
        at(step.table, step.column.name);
        break;
      case "change column":
        at(step.table, step.to.name);
        break;
      case "extract lookup":
      case "inline lookup":
        at(step.table, step.column, step.reference);
        break;
      case "reference to links":
      case "links to reference":
        at(step.table, step.reference);
        break;
      case "move column":
        at(step.from.table, step.from.column);
        at(step.to.table, step.to.column);
    }
  }
  return touched;
}
