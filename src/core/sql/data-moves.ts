import type {
  ChangeColumn,
  LookupChange,
  MoveColumn,
  ReferenceAndLinks,
  SqlByDatabase,
  Step,
} from "../evolution/steps.ts";
import { ownerColumn } from "../schema/from-model.ts";
import { type Schema, type Table, tableNamed } from "../schema/schema.ts";
import type { Risk } from "./dialect.ts";
import { inUseBy } from "./in-use.ts";
import { checkRisks } from "./row-checks.ts";
import type { ScriptPart } from "./script.ts";
import { keptTable, type Syntax } from "./syntax.ts";

/** The steps that move data from one place to another: their SQL, and the rows at risk. */

const run = (sql: string): ScriptPart => ({ kind: "run", sql });

/** The steps that are the same in all databases: data moves, and steps with hand-written SQL. */
export type Flow =
  | LookupChange
  | ReferenceAndLinks
  | MoveColumn
  | Extract<Step, { kind: "own sql" }>;

/** The section of a script for such a step. */
export function flow(
  syntax: Syntax,
  database: keyof SqlByDatabase,
  step: Flow,
  before: Schema,
): ScriptPart[] {
  switch (step.kind) {
    case "extract lookup":
      return textsToRows(syntax, step, before);
    case "inline lookup":
      return rowsToTexts(syntax, step, before);
    case "reference to links":
      return referenceToLinks(syntax, step, before);
    case "links to reference":
      return linksToReference(syntax, step);
    case "move column":
      return carry(syntax, step);
    case "own sql": {
      const own = step.forward[database];
      return own === undefined
        ? [{ kind: "no way", about: step.about }]
        : [run(own.replace(/;\s*$/, ""))];
    }
  }
}

function textsToRows(syntax: Syntax, step: LookupChange, before: Schema): ScriptPart[] {
  const { quoted } = syntax;
  const id = quoted("id");
  const { table, column, reference, target, key, others = {}, keep } = step;
  const [from, text, to, goal, name] = [table, column, reference, target, key].map(
    syntax.quoted,
  ) as [string, string, string, string, string];
  const told = `trim(t.${text})`;
  const { waiting, unknown } = textConditions(syntax, step);
  const called = syntax.caselessColumn(tableNamed(before, target), "r", key);
  const pointed = run(
    `update ${from} as t set ${to} = (select min(r.${id}) from ${goal} as r where ${called} = ${syntax.caseless(told)})\nwhere ${waiting}`,
  );
  const apart = inOneOrganisation(syntax, table, before);
  if (!canMakeRows(step, before)) return [...apart, pointed];
  const more = Object.entries(others);
  const columns = [
    name,
    ...more.map(([other]) => quoted(other)),
    quoted("created_at"),
    quoted("updated_at"),
  ];
  const values = [told, ...more.map(([, fill]) => syntax.fill(fill)), syntax.now, syntax.now];
  const aside = quoted("levadura_before");
  return [
    ...apart,
    ...syntax.aside(aside, `select coalesce(max(${id}), 0) as top from ${goal}`),
    // Of texts that differ in case the first row's is taken.
    run(
      `insert into ${goal} (${columns.join(", ")})\nselect ${values.join(", ")}\nfrom ${from} as t\nwhere t.${id} in (select min(t.${id}) from ${from} as t where ${waiting} and ${unknown} group by ${syntax.caseless(told)})\norder by t.${id}`,
    ),
    ...(keep
      ? [
          {
            kind: "keep" as const,
            file: keep,
            table: goal,
            query: `select t.${id}, t.${name} as ${quoted("value")} from ${goal} as t where t.${id} > (select top from ${aside})`,
          },
        ]
      : []),
    run(`drop table ${aside}`),
    pointed,
  ];
}

/** Rows that are made of texts are the first organisation's: those of another one would lead to what it can't see. */
function inOneOrganisation({ quoted }: Syntax, table: string, before: Schema): ScriptPart[] {
  const owned = tableNamed(before, table)?.columns.some(({ name }) => name === ownerColumn);
  if (!owned) return [];
  return [
    {
      kind: "assert no rows",
      sentence: `rows of ${table} belong to other organisations than the first`,
      query: `select ${quoted("id")}, ${quoted(ownerColumn)} as ${quoted("value")} from ${quoted(table)} where ${quoted(ownerColumn)} <> 1`,
    },
  ];
}

/** Which texts don't lead anywhere yet, and which of them no row is called by; of rows `t`. */
function textConditions(
  { quoted, alike, caseless }: Syntax,
  { column, reference, target, key }: LookupChange,
): { waiting: string; unknown: string } {
  const id = quoted("id");
  const [text, to, goal, name] = [column, reference, target, key].map(quoted);
  const told = `trim(t.${text})`;
  const named = `(select r.${name} from ${goal} as r where r.${id} = t.${to})`;
  return {
    waiting: `${told} <> '' and (t.${to} is null or not ${alike(named, told)})`,
    unknown: `${caseless(told)} not in (select ${caseless(`r.${name}`)} from ${goal} as r where r.${name} is not null)`,
  };
}

/** Whether rows can be made of texts: the others that they need are known. */
function canMakeRows({ target, key, others = {} }: LookupChange, before: Schema): boolean {
  const given = new Set([key, "id", "created_at", "updated_at", ...Object.keys(others)]);
  const columns = tableNamed(before, target)?.columns ?? [];
  return columns.every(
    ({ name, required, default: start }) => !required || start !== undefined || given.has(name),
  );
}

function rowsToTexts(syntax: Syntax, step: LookupChange, before: Schema): ScriptPart[] {
  const { quoted } = syntax;
  const id = quoted("id");
  const { table, column, reference, target, key, restore, spent = [] } = step;
  const [from, text, to, goal, name] = [table, column, reference, target, key].map(
    syntax.quoted,
  ) as [string, string, string, string, string];
  const told = `(select r.${name} from ${goal} as r where r.${id} = t.${to})`;
  const parts = [
    run(
      `update ${from} as t set ${text} = ${told} where t.${to} is not null and (t.${text} is null or not ${syntax.alike(`trim(t.${text})`, told)})`,
    ),
  ];
  if (!restore) return parts;
  // Rows that were made from texts are removed again, unless they were changed or referred to since.
  const file = keptTable(syntax, restore);
  const loose = [{ table, column: reference }, ...spent];
  const isLoose = (user: { table: string; column: string }) =>
    loose.some((each) => each.table === user.table && each.column === user.column);
  const users = before.tables.flatMap((other) =>
    other.columns
      .filter(({ references }) => references?.table === target)
      .map((each) => ({ table: other.name, column: each.name }))
      .filter((user) => !isLoose(user)),
  );
  const going = `select r.${id} from ${goal} as r join ${file} as k on k.${id} = r.${id} and ${syntax.alike(`k.${quoted("value")}`, `r.${name}`)} where r.${quoted("version")} = 1${users
    .map(
      (user) =>
        ` and r.${id} not in (select ${quoted(user.column)} from ${quoted(user.table)} where ${quoted(user.column)} is not null)`,
    )
    .join("")}`;
  const gone = quoted("levadura_gone");
  return [
    { kind: "bring back", file: restore, table: file },
    ...parts,
    ...syntax.aside(gone, going),
    ...loose.map((user) =>
      run(
        `update ${quoted(user.table)} set ${quoted(user.column)} = null where ${quoted(user.column)} in (select ${id} from ${gone})`,
      ),
    ),
    run(`delete from ${goal} where ${id} in (select ${id} from ${gone})`),
    run(`drop table ${gone}`),
  ];
}

/** Rows that would have nothing in a column that is required in the end. */
function emptyRisks(
  syntax: Syntax,
  { table, required }: { table: string; required?: true },
  what: string,
  value: string,
): Risk[] {
  const { quoted } = syntax;
  const id = quoted("id");
  if (!required) return [];
  return [
    {
      kind: "blocking",
      table,
      sentence: `rows of ${table} have no ${what}`,
      query: `select t.${id}, null as ${quoted("value")} from ${quoted(table)} as t where ${value} is null`,
    },
  ];
}

/** Texts that no row of the other table is called by, where none can be made of them. */
function unknownTexts(syntax: Syntax, step: LookupChange): Risk {
  const { quoted } = syntax;
  const { table, column, target } = step;
  const { waiting, unknown } = textConditions(syntax, step);
  return {
    kind: "blocking",
    table,
    sentence: `rows of ${table} have a ${column} by which no row of ${target} is called, and none can be made of it`,
    query: `select t.${quoted("id")}, t.${quoted(column)} as ${quoted("value")} from ${quoted(table)} as t where ${waiting} and ${unknown}`,
  };
}

/** Texts that no row of the other table could be called by. */
function textRisks(syntax: Syntax, step: LookupChange, before: Schema): Risk[] {
  const { quoted } = syntax;
  const id = quoted("id");
  const { table, column, target, key } = step;
  const told = `trim(t.${quoted(column)})`;
  return [
    ...emptyRisks(syntax, step, column, `nullif(${told}, '')`),
    ...unfitRisks(syntax, before, { table: target, column: key }, told, {
      kind: "blocking",
      table,
      sentence: `rows of ${table} have a ${column} that ${target}.${key} can't have`,
      query: `select t.${id}, t.${quoted(column)} as ${quoted("value")} from ${quoted(table)} as t where ${told} <> ''`,
    }),
    ...(canMakeRows(step, before) ? [] : [unknownTexts(syntax, step)]),
  ];
}

/** Rows that are called by a text that the column can't have. */
function nameRisks(syntax: Syntax, step: LookupChange, before: Schema): Risk[] {
  const { quoted } = syntax;
  const id = quoted("id");
  const { table, column, reference, target, key } = step;
  const told = `r.${quoted(key)}`;
  return [
    ...emptyRisks(syntax, step, reference, `t.${quoted(reference)}`),
    ...unfitRisks(syntax, before, { table, column }, told, {
      kind: "blocking",
      table,
      sentence: `rows of ${table} lead to a ${target}.${key} that ${column} can't have`,
      query: `select t.${id}, ${told} as ${quoted("value")} from ${quoted(table)} as t join ${quoted(target)} as r on r.${id} = t.${quoted(reference)} where true`,
    }),
  ];
}

/** A risk, of those rows only whose text a column can't have. */
function unfitRisks(
  syntax: Syntax,
  schema: Schema,
  goal: { table: string; column: string },
  text: string,
  risk: Risk,
): Risk[] {
  const column = tableNamed(schema, goal.table)?.columns.find(({ name }) => name === goal.column);
  const wrong = column ? syntax.checksOf(column, text).map((check) => `not (${check})`) : [];
  return wrong.length === 0
    ? []
    : [{ ...risk, query: `${risk.query} and (${wrong.join(" or ")})` }];
}

function referenceToLinks(
  syntax: Syntax,
  { table, reference, links, from, to, restore }: ReferenceAndLinks,
  before: Schema,
): ScriptPart[] {
  const goal =
    tableNamed(before, links)?.columns.find(({ name }) => name === to)?.references?.table ?? "";
  const { quoted } = syntax;
  const id = quoted("id");
  const [first, last] = syntax.insertMissing;
  const pair = `${quoted(links)} (${quoted(from)}, ${quoted(to)})`;
  const led = run(
    `${first} into ${pair} select ${id}, ${quoted(reference)} from ${quoted(table)} where ${quoted(reference)} is not null${last}`,
  );
  if (!restore) return [led];
  const file = keptTable(syntax, restore);
  const [owner, target] = [from, to].map((name) => syntax.number(`k.${quoted(name)}`));
  return [
    { kind: "bring back", file: restore, table: file },
    led,
    // Either end may have been deleted since.
    run(
      `${first} into ${pair} select ${owner}, ${target} from ${file} as k where ${owner} in (select ${id} from ${quoted(table)}) and ${target} in (select ${id} from ${quoted(goal)})${last}`,
    ),
  ];
}

function linksToReference(syntax: Syntax, step: ReferenceAndLinks): ScriptPart[] {
  const { quoted } = syntax;
  const id = quoted("id");
  const { table, reference, links, from, to, keep } = step;
  const first = `(select min(m.${quoted(to)}) from ${quoted(links)} as m where m.${quoted(from)} = l.${quoted(from)})`;
  const others: ScriptPart[] = keep
    ? [
        {
          kind: "keep",
          file: keep,
          table: quoted(links),
          query: `select l.${quoted(from)}, l.${quoted(to)} from ${quoted(links)} as l where l.${quoted(to)} > ${first}`,
        },
      ]
    : [];
  return [
    ...others,
    run(
      `update ${quoted(table)} as t set ${quoted(reference)} = (select min(l.${quoted(to)}) from ${quoted(links)} as l where l.${quoted(from)} = t.${id}) where ${quoted(reference)} is null`,
    ),
  ];
}

/** Rows with more than one link. */
function linkRisks(syntax: Syntax, step: ReferenceAndLinks): Risk[] {
  const { quoted } = syntax;
  const id = quoted("id");
  const { table, links, from, to, lossy } = step;
  const linked = `(select min(l.${quoted(to)}) from ${quoted(links)} as l where l.${quoted(from)} = t.${id})`;
  return [
    ...emptyRisks(syntax, step, links, linked),
    {
      kind: lossy ? "lost" : "blocking",
      table,
      sentence: `rows of ${table} have several rows in ${links}, and can keep one`,
      query: `select ${quoted(from)} as ${id}, count(*) as ${quoted("value")} from ${quoted(links)} group by ${quoted(from)} having count(${quoted(to)}) > 1`,
    },
  ];
}

function carry(syntax: Syntax, { from, to, by }: MoveColumn): ScriptPart[] {
  const { quoted } = syntax;
  const id = quoted("id");
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
function carryRisks(syntax: Syntax, { from, to, by, lossy }: MoveColumn): Risk[] {
  const { quoted } = syntax;
  const id = quoted("id");
  const value = `f.${quoted(from.column)}`;
  const first = `(select g.${quoted(from.column)} from ${quoted(from.table)} as g where g.${quoted(by.column)} = f.${quoted(by.column)} and g.${quoted(from.column)} is not null order by g.${id} limit 1)`;
  const lost =
    by.table === to.table
      ? `not exists (select 1 from ${quoted(to.table)} as t where t.${quoted(by.column)} = f.${id})`
      : `f.${quoted(by.column)} is null or not ${syntax.same(value, first)}`;
  return [
    {
      kind: lossy ? "lost" : "blocking",
      table: from.table,
      sentence:
        by.table === to.table
          ? `rows of ${from.table} have a ${from.column}, and nothing in ${to.table} leads to them`
          : `rows of ${from.table} have another ${from.column} than the first with the same ${by.column}, or nothing there`,
      query: `select f.${id}, ${value} as ${quoted("value")} from ${quoted(from.table)} as f where ${value} is not null and (${lost})`,
    },
  ];
}

/** What a step risks wherever it is taken in the same way. */
export function plainRisks(syntax: Syntax, step: Step, before: Schema): Risk[] {
  switch (step.kind) {
    case "add index":
      return step.index.unique ? [repeats(syntax, step, before)] : [];
    case "add check":
      return checkRisks(syntax, step);
    case "extract lookup":
      return textRisks(syntax, step, before);
    case "inline lookup":
      return nameRisks(syntax, step, before);
    case "links to reference":
      return linkRisks(syntax, step);
    case "move column":
      return carryRisks(syntax, step);
    case "drop table":
      return step.carried ? [] : [allRows(syntax, step)];
    case "drop column":
      return step.carried ? [] : [allValues(syntax, step)];
    case "rename table":
    case "rename column":
    case "add table":
    case "add column":
    case "change column":
    case "drop index":
    case "drop check":
    case "reference to links":
    case "own sql":
      return [];
  }
}

/** What a step risks where columns are added to tables that are there. */
export function steppedRisks(syntax: Syntax, step: Step, before: Schema): Risk[] {
  if (step.kind !== "add column") return plainRisks(syntax, step, before);
  const { table, column, fill, restore } = step;
  if (!column.required || column.default !== undefined || fill || restore) return [];
  const { quoted } = syntax;
  return [
    {
      kind: "blocking",
      table,
      sentence: `rows of ${table} have no ${column.name}`,
      query: `select ${quoted("id")}, null as ${quoted("value")} from ${quoted(table)}`,
    },
  ];
}

/** What a change of a column risks: the rows that end it, and those of which it keeps a value that it loses. */
export function changeRisks(
  syntax: Syntax,
  step: ChangeColumn | Extract<Step, { kind: "add column" }>,
  parts: readonly ScriptPart[],
): Risk[] {
  const { table } = step;
  const lossy = step.kind === "change column" && step.lossy;
  const name = step.kind === "change column" ? step.to.name : step.column.name;
  return parts.flatMap((part): Risk[] => {
    if (part.kind === "assert no rows") {
      return [{ kind: "blocking", table, sentence: part.sentence, query: part.query }];
    }
    const sentence = `values of ${table}.${name} no longer fit`;
    return part.kind === "keep" && step.kind === "change column" && lossy
      ? [{ kind: "lost", table, sentence, query: lostValues(syntax, step, part.query) }]
      : [];
  });
}

/** Of the values that are kept, those that are others once they were turned into the new type and back. */
function lostValues(syntax: Syntax, { from, to, timezone }: ChangeColumn, kept: string): string {
  if (from.type.kind === to.type.kind) return kept;
  const { quoted } = syntax;
  const [value, became] = [`q.${quoted("value")}`, `q.${quoted("became")}`];
  const back = syntax.converted(became, to.type, from.type, true, timezone ?? "UTC");
  return `select q.${quoted("id")}, ${value} from (${kept}) as q where ${became} is null or not ${syntax.same(value, back)}`;
}

function repeats(
  syntax: Syntax,
  { table, index }: Extract<Step, { kind: "add index" }>,
  before: Schema,
): Risk {
  const { quoted } = syntax;
  const of = (alias: string) => index.columns.map((name) => `${alias}.${quoted(name)}`).join(", ");
  const columns = tableNamed(before, table)?.columns ?? [];
  const told = (alias: string) =>
    index.columns
      .map((name) =>
        columns.some((column) => column.name === name && column.type.kind === "text")
          ? syntax.caseless(`${alias}.${quoted(name)}`)
          : `${alias}.${quoted(name)}`,
      )
      .join(", ");
  const inUse = (alias: string) => inUseBy(quoted, index, columns, alias);
  const value =
    index.columns.length === 1 ? of("t") : `concat(${of("t").replaceAll(", ", ", ', ', ")})`;
  return {
    kind: "blocking",
    table,
    sentence: `rows of ${table} have the same ${index.columns.join(" and ")}`,
    query: `select t.${quoted("id")}, ${value} as ${quoted("value")} from ${quoted(table)} as t where ${inUse("t") ? `${inUse("t")} and ` : ""}(${told("t")}) in (select ${told("o")} from ${quoted(table)} as o${inUse("o") ? ` where ${inUse("o")}` : ""} group by ${told("o")} having count(*) > 1)`,
  };
}

function allRows(syntax: Syntax, { table }: Extract<Step, { kind: "drop table" }>): Risk {
  const { quoted } = syntax;
  const [first, second] = table.columns.map(({ name }) => quoted(name));
  return {
    kind: "lost",
    table: table.name,
    sentence: `rows of ${table.name} are deleted`,
    query: `select ${first} as ${quoted("id")}, ${second ?? first} as ${quoted("value")} from ${quoted(table.name)}`,
  };
}

function allValues(
  syntax: Syntax,
  { table, column }: Extract<Step, { kind: "drop column" }>,
): Risk {
  const { quoted } = syntax;
  const name = quoted(column.name);
  return {
    kind: "lost",
    table,
    sentence: `values of ${table}.${column.name} are deleted`,
    query: `select ${quoted("id")}, ${name} as ${quoted("value")} from ${quoted(table)} where ${name} is not null`,
  };
}

/** The rows that violate a step, as what ends a script. */
export function refusals(risks: readonly Risk[]): ScriptPart[] {
  return risks
    .filter(({ kind }) => kind === "blocking")
    .map(({ sentence, query }): ScriptPart => ({ kind: "assert no rows", sentence, query }));
}

/** Keeps all rows of a table. */
export function keepTable(syntax: Syntax, { name }: Table, file: string): ScriptPart {
  const { quoted } = syntax;
  // All columns: somebody may have added some by hand.
  return { kind: "keep", file, table: quoted(name), query: `select * from ${quoted(name)}` };
}

/** Drops a column, with its values kept; nothing is one of them where rows without a value would get a default. */
export function dropColumn(
  { quoted }: Syntax,
  { table, column, keep }: Extract<Step, { kind: "drop column" }>,
): ScriptPart[] {
  const [name, from] = [quoted(column.name), quoted(table)];
  const all = column.default !== undefined && !column.required;
  const query = `select ${quoted("id")}, ${name} as ${quoted("value")} from ${from}${all ? "" : ` where ${name} is not null`}`;
  const kept: ScriptPart[] = keep
    ? [{ kind: "keep", file: keep, table: from, column: name, query }]
    : [];
  return [...kept, run(`alter table ${from} drop column ${name}`)];
}
