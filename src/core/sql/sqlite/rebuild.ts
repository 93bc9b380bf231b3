import { literal, quoted } from "../../../../kit/database/sqlite/literals.ts";
import { orderColumn } from "../../../../kit/database/sqlite/text-order.ts";
import { describeStep, replay, type Step } from "../../evolution/steps.ts";
import { type Schema, type Table, tableNamed } from "../../schema/schema.ts";
import { refusals } from "../data-moves.ts";
import { checkRisks, isCheck } from "../row-checks.ts";
import type { ScriptPart, Section } from "../script.ts";
import { keptTable } from "../syntax.ts";
import { changedValue, keptRows } from "../values.ts";
import { createIndex, createTable, fillSql } from "./columns.ts";
import { fillOrder, isOrdered } from "./ordering.ts";
import { syntax } from "./syntax.ts";
import { dropTriggers, triggersOf } from "./triggers.ts";
import { refillWords } from "./words.ts";

type TableStep = Extract<
  Step,
  { kind: "add column" | "change column" | "drop column" | "add check" | "drop check" }
>;

/** Whether a step is one of those that a rebuild takes along. */
export function ofTable(step: Step): step is TableStep {
  return ["add column", "change column", "drop column", "add check", "drop check"].includes(
    step.kind,
  );
}

/** Steps on one table, taken by rebuilding it, in one pass over its rows. */
export function rebuild(steps: readonly TableStep[], before: Schema): Section {
  const name = steps[0]?.table ?? "";
  const old = tableNamed(before, name) as Table;
  const goal = tableNamed(replay(steps, before), name) as Table;
  const work = new Rebuild(old);
  for (const step of steps) work.take(step);
  const fresh = `levadura_new_${name}`;
  const texts = goal.columns.filter(isOrdered).map((column) => column.name);
  /** What stays as it is keeps what it is ordered by; the rest is ordered again. */
  const stays = (text: string) =>
    work.valueOf(text) === `t.${quoted(text)}` &&
    old.columns.some((column) => column.name === text && isOrdered(column));
  const taken = [
    ...goal.columns.map((column) => [column.name, work.valueOf(column.name)] as const),
    ...texts
      .filter(stays)
      .map((text) => [orderColumn(text), `t.${quoted(orderColumn(text))}`] as const),
  ];
  const run = (sql: string): ScriptPart => ({ kind: "run", sql });
  return {
    sentences: steps.map(describeStep),
    parts: [
      ...work.parts,
      ...dropTriggers(old).map(run),
      { kind: "hold triggers", table: quoted(name), columns: columnsIn(old).map(quoted) },
      run(createTable(goal, fresh)),
      run(
        `insert into ${quoted(fresh)} (${taken.map(([column]) => quoted(column)).join(", ")})\nselect\n${taken.map(([, value]) => `  ${value}`).join(",\n")}\nfrom ${quoted(name)} as t${work.joins}`,
      ),
      // Numbers that were given to rows since deleted are not given again.
      run(`delete from sqlite_sequence where name = ${literal(fresh)}`),
      run(
        `insert into sqlite_sequence (name, seq) select ${literal(fresh)}, seq from sqlite_sequence where name = ${literal(name)}`,
      ),
      run(`drop table ${quoted(name)}`),
      // The old way of renaming leaves views and the references of other tables as they are.
      run("pragma legacy_alter_table = on"),
      run(`alter table ${quoted(fresh)} rename to ${quoted(name)}`),
      run("pragma legacy_alter_table = off"),
      ...fillOrder(
        name,
        texts.filter((text) => !stays(text)),
      ).map(run),
      ...goal.indexes.flatMap((index) =>
        (index.words ? refillWords(goal, index) : createIndex(goal, index)).map(run),
      ),
      ...triggersOf(goal).map(run),
      { kind: "return triggers", table: quoted(name) },
    ],
  };
}

/** The columns that a table was made with. */
function columnsIn({ columns }: Table): string[] {
  return columns.flatMap((column) =>
    isOrdered(column) ? [column.name, orderColumn(column.name)] : [column.name],
  );
}

/** Where the values of each column come from, as the steps are taken one by one. */
class Rebuild {
  readonly #values: Map<string, string>;
  readonly parts: ScriptPart[] = [];
  joins = "";
  #files = 0;

  constructor(readonly table: Table) {
    this.#values = new Map(table.columns.map(({ name }) => [name, `t.${quoted(name)}`]));
  }

  valueOf(column: string): string {
    return this.#values.get(column) ?? "null";
  }

  take(step: TableStep): void {
    if (step.kind === "change column") this.#change(step);
    else if (step.kind === "add column") this.#add(step);
    else if (step.kind === "drop column") this.#drop(step);
    else if (step.kind === "add check") this.#check(step);
  }

  /** Asks the rows as they will be. */
  #check(step: Extract<TableStep, { kind: "add check" }>): void {
    const columns = [...new Set(["id", ...step.check.columns])].map(
      (column) => `${this.valueOf(column)} as ${quoted(column)}`,
    );
    const rows = `(select ${columns.join(", ")} from ${quoted(this.table.name)} as t${this.joins})`;
    this.parts.push(...refusals(checkRisks(syntax, step, rows)));
  }

  #select(columns: string): string {
    return `select t.${quoted("id")}, ${columns} from ${quoted(this.table.name)} as t${this.joins}`;
  }

  #change(step: Extract<TableStep, { kind: "change column" }>): void {
    const column = step.to.name;
    const x = this.valueOf(column);
    const { value, refused, missing } = changedValue(syntax, x, step);
    let result = value;
    let open = "";
    if (step.restore) {
      const file = this.#bringBack(step.restore);
      const known = `${file}.${quoted("id")} is not null and ${x} is ${file}.${quoted("became")}`;
      result = `case when ${known} then ${file}.${quoted("value")} else ${value} end`;
      open = `not (${known}) and `;
    }
    const { table } = step;
    if (missing) this.#refuse(`rows of ${table} have no ${column}`, x, `${open}${missing}`);
    const refusal = refused.map((each) => `(${each})`).join(" or ");
    if (refusal) {
      const sentence = `rows of ${table} have a ${column} that is no longer allowed`;
      this.#refuse(sentence, x, open ? `${open}(${refusal})` : refusal);
    }
    if (step.keep) {
      const query = `${this.#select(`${x} as ${quoted("value")}, ${value} as ${quoted("became")}`)} where ${keptRows(syntax, x, step, value)}`;
      this.parts.push({
        kind: "keep",
        file: step.keep,
        table: quoted(this.table.name),
        column: quoted(column),
        query,
      });
    }
    this.#values.set(column, result);
  }

  #refuse(sentence: string, x: string, condition: string): void {
    const query = `${this.#select(`${x} as ${quoted("value")}`)} where ${condition}`;
    this.parts.push({ kind: "assert no rows", sentence, query });
  }

  #add(step: Extract<TableStep, { kind: "add column" }>): void {
    const { table, column, fill, restore } = step;
    const lacking = `rows of ${table} have no ${column.name}`;
    const start = fill
      ? fillSql(fill)
      : column.default === undefined
        ? "null"
        : literal(column.default);
    if (!restore) {
      if (column.required && start === "null") this.#refuse(lacking, "null", "true");
      this.#values.set(column.name, start);
      return;
    }
    const file = this.#bringBack(restore);
    const known = `${file}.${quoted("id")} is not null`;
    if (column.required && start === "null") {
      this.#refuse(lacking, "null", `not (${known})`);
    }
    this.#values.set(
      column.name,
      `case when ${known} then ${file}.${quoted("value")} else ${start} end`,
    );
  }

  #drop({ column, keep }: Extract<TableStep, { kind: "drop column" }>): void {
    const x = this.valueOf(column.name);
    if (keep) {
      const all = column.default !== undefined && !column.required;
      const query = `${this.#select(`${x} as ${quoted("value")}`)}${all ? "" : ` where ${x} is not null`}`;
      this.parts.push({
        kind: "keep",
        file: keep,
        table: quoted(this.table.name),
        column: quoted(column.name),
        query,
      });
    }
    this.#values.delete(column.name);
  }

  /** Returns the alias of the kept rows. */
  #bringBack(file: string): string {
    const alias = `k${++this.#files}`;
    const table = keptTable(syntax, file);
    this.parts.unshift({ kind: "bring back", file, table });
    this.joins += `\nleft join ${table} as ${alias} on ${alias}.${quoted("id")} = t.${quoted("id")}`;
    return alias;
  }
}

/** The steps that only a table rebuilt can take. */
export function needsRebuild(step: Step): boolean {
  if (step.kind === "change column") return true;
  if (isCheck(step)) return step.check.sql.sqlite !== undefined;
  return step.kind === "add column" && step.column.required && step.column.default === undefined;
}
