import type { Carry, ReferenceAndLinks, TextsAndRows } from "../../evolution/steps.ts";
import { type Schema, tableNamed } from "../../schema/schema.ts";
import type { Risk } from "../dialect.ts";
import type { Part } from "../script.ts";
import { checksOf, fillSql, quoted, thisMoment } from "./columns.ts";
import { keptTable } from "./rebuild.ts";

/** The steps in which data flows from one place into another: what they run, and what they risk. */

const run = (sql: string): Part => ({ kind: "run", sql });
const id = quoted("id");

export function textsToRows(step: TextsAndRows): Part[] {
  const { table, column, reference, target, key, others = {}, keep } = step;
  const [from, text, to, goal, name] = [table, column, reference, target, key].map(quoted) as [
    string,
    string,
    string,
    string,
    string,
  ];
  const told = `trim(t.${text})`;
  const waiting = `${told} <> '' and (t.${to} is null or (select r.${name} from ${goal} as r where r.${id} = t.${to}) is not ${told})`;
  const more = Object.entries(others);
  const columns = [
    name,
    ...more.map(([other]) => quoted(other)),
    quoted("created_at"),
    quoted("updated_at"),
  ];
  const values = [`min(${told})`, ...more.map(([, fill]) => fillSql(fill)), thisMoment, thisMoment];
  const before = quoted("levadura_before");
  return [
    run(`create temp table ${before} as select coalesce(max(${id}), 0) as top from ${goal}`),
    run(
      `insert into ${goal} (${columns.join(", ")})\nselect ${values.join(", ")}\nfrom ${from} as t\nwhere ${waiting} and not exists (select 1 from ${goal} as r where r.${name} = ${told})\ngroup by ${told} collate nocase\norder by min(t.${id})`,
    ),
    ...(keep
      ? [
          {
            kind: "keep" as const,
            file: keep,
            table: goal,
            query: `select t.${id}, t.${name} as ${quoted("value")} from ${goal} as t where t.${id} > (select top from ${before})`,
          },
        ]
      : []),
    run(`drop table ${before}`),
    run(
      `update ${from} as t set ${to} = (select min(r.${id}) from ${goal} as r where r.${name} = ${told})\nwhere ${waiting}`,
    ),
  ];
}

export function rowsToTexts(step: TextsAndRows, before: Schema): Part[] {
  const { table, column, reference, target, key, restore } = step;
  const [from, text, to, goal, name] = [table, column, reference, target, key].map(quoted) as [
    string,
    string,
    string,
    string,
    string,
  ];
  const told = `(select r.${name} from ${goal} as r where r.${id} = t.${to})`;
  const parts = [
    run(
      `update ${from} as t set ${text} = ${told} where t.${to} is not null and (t.${text} is null or trim(t.${text}) is not ${told} collate nocase)`,
    ),
  ];
  if (!restore) return parts;
  // The rows that were made of texts go again, unless somebody changed them or refers to them since.
  const file = keptTable(restore);
  const users = before.tables.flatMap((other) =>
    other.columns
      .filter(({ references }) => references?.table === target)
      .filter((each) => other.name !== table || each.name !== reference)
      .map((each) => ({ table: quoted(other.name), column: quoted(each.name) })),
  );
  const going = `select r.${id} from ${goal} as r join ${file} as k on k.${id} = r.${id} and k.${quoted("value")} is r.${name} where r.${quoted("version")} = 1${users
    .map(
      (user) =>
        ` and r.${id} not in (select ${user.column} from ${user.table} where ${user.column} is not null)`,
    )
    .join("")}`;
  const gone = quoted("levadura_gone");
  return [
    { kind: "bring back", file: restore, table: file },
    ...parts,
    run(`create temp table ${gone} as ${going}`),
    run(`update ${from} set ${to} = null where ${to} in (select ${id} from ${gone})`),
    run(`delete from ${goal} where ${id} in (select ${id} from ${gone})`),
    run(`drop table ${gone}`),
  ];
}

/** Rows that would have nothing in a column that is required in the end. */
export function emptyRisks(
  { table, required }: { table: string; required?: true },
  what: string,
  value: string,
): Risk[] {
  if (!required) return [];
  return [
    {
      kind: "in the way",
      table,
      sentence: `rows of ${table} have no ${what}`,
      query: `select t.${id}, null as ${quoted("value")} from ${quoted(table)} as t where ${value} is null`,
    },
  ];
}

/** Texts that no row of the other table could be called by. */
export function textRisks(step: TextsAndRows, before: Schema): Risk[] {
  const { table, column, target, key } = step;
  const told = `trim(t.${quoted(column)})`;
  return [
    ...emptyRisks(step, column, `nullif(${told}, '')`),
    ...unfitRisks(before, { table: target, column: key }, told, {
      kind: "in the way",
      table,
      sentence: `rows of ${table} have a ${column} that ${target}.${key} can't have`,
      query: `select t.${id}, t.${quoted(column)} as ${quoted("value")} from ${quoted(table)} as t where ${told} <> ''`,
    }),
  ];
}

/** Rows that are called by a text that the column can't have. */
export function nameRisks(step: TextsAndRows, before: Schema): Risk[] {
  const { table, column, reference, target, key } = step;
  const told = `r.${quoted(key)}`;
  return [
    ...emptyRisks(step, reference, `t.${quoted(reference)}`),
    ...unfitRisks(before, { table, column }, told, {
      kind: "in the way",
      table,
      sentence: `rows of ${table} lead to a ${target}.${key} that ${column} can't have`,
      query: `select t.${id}, ${told} as ${quoted("value")} from ${quoted(table)} as t join ${quoted(target)} as r on r.${id} = t.${quoted(reference)} where true`,
    }),
  ];
}

/** A risk, of those rows only whose text a column can't have. */
function unfitRisks(
  schema: Schema,
  goal: { table: string; column: string },
  text: string,
  risk: Risk,
): Risk[] {
  const column = tableNamed(schema, goal.table)?.columns.find(({ name }) => name === goal.column);
  const wrong = column ? checksOf(column, text).map((check) => `not (${check})`) : [];
  return wrong.length === 0
    ? []
    : [{ ...risk, query: `${risk.query} and (${wrong.join(" or ")})` }];
}

export function referenceToLinks({ table, reference, links, from, to }: ReferenceAndLinks): Part[] {
  return [
    run(
      `insert or ignore into ${quoted(links)} (${quoted(from)}, ${quoted(to)}) select ${id}, ${quoted(reference)} from ${quoted(table)} where ${quoted(reference)} is not null`,
    ),
  ];
}

export function linksToReference(step: ReferenceAndLinks): Part[] {
  const { table, reference, links, from, to } = step;
  return [
    run(
      `update ${quoted(table)} as t set ${quoted(reference)} = (select min(l.${quoted(to)}) from ${quoted(links)} as l where l.${quoted(from)} = t.${id}) where ${quoted(reference)} is null`,
    ),
  ];
}

/** Rows with more than one link. */
export function linkRisks(step: ReferenceAndLinks): Risk[] {
  const { table, links, from, to, lossy } = step;
  const linked = `(select min(l.${quoted(to)}) from ${quoted(links)} as l where l.${quoted(from)} = t.${id})`;
  return [
    ...emptyRisks(step, links, linked),
    {
      kind: lossy ? "lost" : "in the way",
      table,
      sentence: `rows of ${table} have several rows in ${links}, and can keep one`,
      query: `select ${quoted(from)} as ${id}, count(*) as ${quoted("value")} from ${quoted(links)} group by ${quoted(from)} having count(${quoted(to)}) > 1`,
    },
  ];
}

export function carry({ from, to, by }: Carry): Part[] {
  const value =
    by.table === to.table
      ? `(select f.${quoted(from.column)} from ${quoted(from.table)} as f where f.${id} = t.${quoted(by.column)})`
      : `(select f.${quoted(from.column)} from ${quoted(from.table)} as f where f.${quoted(by.column)} = t.${id} and f.${quoted(from.column)} is not null order by f.${id} limit 1)`;
  return [
    run(
      `update ${quoted(to.table)} as t set ${quoted(to.column)} = ${value} where ${quoted(to.column)} is null`,
    ),
  ];
}

/** Values that have nowhere to go. */
export function carryRisks({ from, to, by, lossy }: Carry): Risk[] {
  const value = `f.${quoted(from.column)}`;
  const lost =
    by.table === to.table
      ? `not exists (select 1 from ${quoted(to.table)} as t where t.${quoted(by.column)} = f.${id})`
      : `f.${quoted(by.column)} is null or ${value} is not (select g.${quoted(from.column)} from ${quoted(from.table)} as g where g.${quoted(by.column)} = f.${quoted(by.column)} and g.${quoted(from.column)} is not null order by g.${id} limit 1)`;
  return [
    {
      kind: lossy ? "lost" : "in the way",
      table: from.table,
      sentence:
        by.table === to.table
          ? `rows of ${from.table} have a ${from.column}, and nothing in ${to.table} leads to them`
          : `rows of ${from.table} have another ${from.column} than the first with the same ${by.column}, or nothing there`,
      query: `select f.${id}, ${value} as ${quoted("value")} from ${quoted(from.table)} as f where ${value} is not null and (${lost})`,
    },
  ];
}
