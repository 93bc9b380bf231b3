import { quoted } from "../../../../kit/database/mariadb/literals.ts";
import { alike, type ChangeColumn } from "../../evolution/steps.ts";
import type { ColumnType } from "../../fields/storage.ts";
import type { Column, Table } from "../../schema/schema.ts";
import type { ScriptPart } from "../script.ts";
import { keptTable, type Syntax } from "../syntax.ts";
import { changedValue, keptRows } from "../values.ts";
import {
  columnSql,
  fillSql,
  foreignKey,
  foreignKeyName,
  hasOwnKey,
  indexSql,
  isCovered,
  madeName,
  ownKey,
  typeSql,
} from "./columns.ts";

const run = (sql: string): ScriptPart => ({ kind: "run", sql });
const id = quoted("id");
const value = quoted("value");

/** The column in which values of another type are made, until it takes the place of the old one. */
const newColumn = quoted("levadura_new");
const same = quoted("levadura_same");

/** Changes a column: violating rows are looked for before anything is touched. */
export function changeColumn(
  syntax: Syntax,
  step: ChangeColumn,
  table: Table | undefined,
): ScriptPart[] {
  const { from, to, keep, restore } = step;
  const goal = quoted(step.table);
  const x = `t.${quoted(to.name)}`;
  const changed = changedValue(syntax, x, step);
  const parts: ScriptPart[] = [];
  if (restore) {
    const file = keptTable(syntax, restore);
    const became = `cast(k.${quoted("became")} as ${castType(from.type)})`;
    const query = `select t.${id}, k.${value} from ${goal} as t join ${file} as k on k.${id} = t.${id} where ${syntax.same(x, became)}`;
    parts.push({ kind: "bring back", file: restore, table: file }, ...syntax.aside(same, query));
  }
  const known = `t.${id} in (select s.${id} from ${same} as s)`;
  const refuse = (sentence: string, condition: string) => {
    const where = restore ? `not ${known} and (${condition})` : condition;
    const query = `select t.${id}, ${x} as ${value} from ${goal} as t where ${where}`;
    parts.push({ kind: "assert no rows", sentence, query });
  };
  if (changed.missing) refuse(`rows of ${step.table} have no ${to.name}`, changed.missing);
  if (changed.refused.length > 0) {
    const condition = changed.refused.map((each) => `(${each})`).join(" or ");
    refuse(`rows of ${step.table} have a ${to.name} that is no longer allowed`, condition);
  }
  const unique = table?.indexes.some(
    (index) => index.unique && alike(index.columns, [to.name]) && !alike(from.type, to.type),
  );
  if (unique) {
    const others = `select ${changed.value} from ${goal} as t group by 1 having count(*) > 1`;
    refuse(
      `rows of ${step.table} would have the same ${to.name}`,
      `${changed.value} in (${others})`,
    );
  }
  if (keep) {
    const kept = keptRows(syntax, x, step, changed.value);
    const query = `select t.${id}, ${x} as ${value}, ${changed.value} as ${quoted("became")} from ${goal} as t where ${kept}`;
    parts.push({ kind: "keep", file: keep, table: goal, column: quoted(to.name), query });
  }
  const flow = isTaken(from.type, to.type) ? inPlace : besides;
  parts.push(...flow(syntax, step, table));
  if (restore) parts.push(run(`drop table ${same}`));
  return parts;
}

/** Whether a column of one type that becomes one of another has all of its values still, and the same ones. */
function isTaken(from: ColumnType, to: ColumnType): boolean {
  if (from.kind === "decimal" && to.kind === "decimal") return true;
  const texts = ["text", "long text"];
  if (texts.includes(from.kind) && texts.includes(to.kind)) return true;
  return from.kind === to.kind || taken.has(`${from.kind} ${to.kind}`);
}

const taken: ReadonlySet<string> = new Set([
  "integer decimal",
  "boolean integer",
  "boolean decimal",
]);

/** The values stay where they are: they are corrected in the old column, and filled and brought back in the new one. */
function inPlace(syntax: Syntax, step: ChangeColumn, table: Table | undefined): ScriptPart[] {
  const { from, to, fill, restore } = step;
  const [goal, name] = [quoted(step.table), quoted(to.name)];
  const plainStep: ChangeColumn = { ...step };
  delete plainStep.fill;
  const bare = changedValue(syntax, name, plainStep).value;
  const [drops, adds] = referenceClauses(step, table);
  const touches = (bare !== name && alwaysSame(from.type, to.type)) || fill || restore;
  const parts: ScriptPart[] = [];
  const begun = touches || drops.length > 0;
  if (begun) {
    const loose = loosened(from, from.type);
    parts.push(
      run(`alter table ${goal} ${[`modify column ${columnSql(loose)}`, ...drops].join(", ")}`),
    );
  }
  if (bare !== name && alwaysSame(from.type, to.type)) {
    parts.push(run(`update ${goal} set ${name} = ${bare} where ${syntax.differs(bare, name)}`));
  }
  const filled = Boolean(fill || restore);
  if (filled && typeSql(from.type) !== typeSql(to.type)) {
    parts.push(run(`alter table ${goal} modify column ${columnSql(loosened(to, to.type))}`));
  }
  if (fill) parts.push(run(`update ${goal} set ${name} = ${fillSql(fill)} where ${name} is null`));
  if (restore) parts.push(broughtBack(goal, name));
  // An index by the beginning of a text is another one where the whole fits.
  const [oldKeys, newKeys] = keyClauses(step, table, (before, after) => before !== after);
  const finish = [...oldKeys, `modify column ${columnSql(to)}`, ...newKeys, ...adds];
  parts.push(run(`alter table ${goal} ${finish.join(", ")}`));
  return parts;
}

/** Whether the new value can be written into the old column before its type changes. */
function alwaysSame(from: ColumnType, to: ColumnType): boolean {
  const texts = ["text", "long text"];
  return from.kind === to.kind || (texts.includes(from.kind) && texts.includes(to.kind));
}

/** The values are computed in a new column, then the old one is dropped. */
function besides(syntax: Syntax, step: ChangeColumn, table: Table | undefined): ScriptPart[] {
  const { to, restore } = step;
  const [goal, name] = [quoted(step.table), quoted(to.name)];
  const made = { ...loosened(to, to.type), name: "levadura_new" };
  const [drops, adds] = referenceClauses(step, table);
  const [oldKeys, newKeys] = keyClauses(step, table, () => true);
  const finish = [
    ...oldKeys,
    ...drops,
    `drop column ${name}`,
    `change column ${newColumn} ${columnSql(to)}`,
    ...newKeys,
    ...adds,
  ];
  return [
    run(`alter table ${goal} add column ${columnSql(made)} after ${name}`),
    run(`update ${goal} set ${newColumn} = ${changedValue(syntax, name, step).value}`),
    ...(restore ? [broughtBack(goal, newColumn)] : []),
    run(`alter table ${goal}\n  ${finish.join(",\n  ")}`),
  ];
}

/** What drops indexes that hold the column, and what makes them again; of those whose SQL is to be so. */
function keyClauses(
  { to }: ChangeColumn,
  table: Table | undefined,
  wanted: (before: string, after: string) => boolean,
): [string[], string[]] {
  const before = table?.columns ?? [];
  const after = before.map((column) => (column.name === to.name ? to : column));
  const indexes = (table?.indexes ?? [])
    .filter(({ columns }) => columns.includes(to.name))
    .filter((index) => !isCovered(before, index))
    .filter((index) => wanted(indexSql(before, index), indexSql(after, index)));
  return [
    indexes.map(({ name }) => `drop key ${quoted(madeName(name))}`),
    indexes.map((index) => `add ${indexSql(after, index)}`),
  ];
}

/** Values that are known from before take the place of what became of them. */
function broughtBack(goal: string, name: string): ScriptPart {
  return run(
    `update ${goal} as t join ${same} as s on s.${id} = t.${id} set t.${name} = s.${value}`,
  );
}

/** A column that takes whatever its type does. */
function loosened({ name }: Column, type: ColumnType): Column {
  return { name, type, required: false };
}

/** What takes a reference away, and what adds one, with the index that it needs. */
function referenceClauses(
  { table: name, from, to }: ChangeColumn,
  table: Table | undefined,
): [string[], string[]] {
  if (alike(from.references, to.references) && alike(from.type, to.type)) return [[], []];
  const own = { key: table?.key ?? [] };
  const called = quoted(foreignKeyName(name, from.name));
  const drops = from.references
    ? [`drop foreign key ${called}`, ...(hasOwnKey(own, from) ? [`drop key ${called}`] : [])]
    : [];
  const adds = to.references
    ? [...(hasOwnKey(own, to) ? [`add ${ownKey(name, to)}`] : []), `add ${foreignKey(name, to)}`]
    : [];
  return [drops, adds];
}

/** What a kept text is cast to, to be compared. */
function castType(type: ColumnType): string {
  switch (type.kind) {
    case "integer":
    case "boolean":
      return "signed";
    case "decimal":
      return typeSql(type);
    case "date":
    case "time":
    case "datetime":
      return type.kind;
    case "text":
    case "long text":
    case "files":
    case "code":
      return "char";
  }
}
