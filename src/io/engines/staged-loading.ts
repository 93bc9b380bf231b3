import { Failure } from "../../core/failure.ts";
import type { Value } from "../../core/seeding/values.ts";
import type {
  KeyedTable,
  LoadConflict,
  LoadCounts,
  Loader,
  LoadRow,
  LoadSettings,
  LoadTarget,
} from "./loading.ts";

/** What loading needs of a database, and how that says what all of them can say. */
export interface LoadPlace {
  quoted(name: string): string;
  run(statement: string): Promise<void>;
  rows<Row>(query: string): Promise<Row[]>;
  /** The types of the columns of a table, as a temporary table is declared with them. */
  columnTypes(table: string): Promise<Map<string, string>>;
  /** The type of record numbers. */
  number: string;
  /** Makes a temporary table; by the columns that are `indexed`, rows are looked for. */
  stage(table: string, columns: readonly StagedColumn[], indexed?: string): Promise<void>;
  /** Makes one of a query. */
  aside(table: string, query: string, indexed?: readonly string[]): Promise<void>;
  drop(table: string): Promise<void>;
  /** Inserts rows into a temporary table. */
  insert(
    table: string,
    columns: readonly StagedColumn[],
    rows: readonly (readonly Value[])[],
  ): Promise<void>;
  /** Updates rows `t` of a table by those of a temporary one, `i`, that have their number in `id`. */
  updateFrom(
    table: string,
    staged: string,
    sets: readonly (readonly [column: string, value: string])[],
    condition: string,
  ): Promise<void>;
  /** Whether two expressions are the same to the letter, nothing and nothing included. */
  same(one: string, other: string): string;
  /** A text by whose case rows aren't told apart. */
  caseless(text: string): string;
  /** Some expressions as one, which is the same where all of them are. */
  content(expressions: readonly string[]): string;
  /** A moment, as `2026-05-03T07:00:00Z`, as a literal. */
  moment(text: string): string;
  /** The highest number that a row of a table ever had. */
  highest(table: string): Promise<number>;
  /** Makes a table go on after the numbers that were inserted into it. */
  goOn(table: string): Promise<void>;
  /** What begins and ends a statement that inserts rows, and passes over those that are there. */
  insertMissing: readonly [string, string];
  /** Fills an empty table without a detour, where there is a faster way. Gives the number of rows. */
  fill?(target: LoadTarget, late: LateKeys, batches: Iterable<readonly LoadRow[]>): Promise<number>;
}

export interface StagedColumn {
  name: string;
  type: string;
}

/** The temporary tables with the keys that are settled late: by the place of a column, or of a table of links. */
export interface LateKeys {
  columns: ReadonlyMap<number, string>;
  links: readonly string[];
}

/** A table that was taken, and what is known of its rows. */
interface Taken {
  target: LoadTarget;
  /** The temporary table of its rows; undefined where all of them were new to an empty table. */
  staged: string | undefined;
  added: number;
  late: LateKeys;
}

/** Rows that are staged at once. */
const atOnce = 1000;

/** Whether nobody changed row `t` since a load wrote it. */
const untouched =
  "(t.updated_at in (select loaded_at from levadura_loads) and (t.version = 1 or t.updated_at <> t.created_at))";

/** Loads rows by way of temporary tables, in which they are compared with those that are there. */
export function stagedLoader(place: LoadPlace, settings: LoadSettings): Loader {
  const taken: Taken[] = [];
  return {
    take: async (target, batches) => {
      const number = taken.length;
      const late = await stageLate(place, target, number);
      const table = place.quoted(target.table);
      const filled = (await place.rows(`select 1 as one from ${table} limit 1`)).length > 0;
      if (!filled && place.fill) {
        const added = await place.fill(target, late, batches);
        taken.push({ target, staged: undefined, added, late });
        return;
      }
      const staged = `levadura_incoming_${number}`;
      await stageRows(place, target, staged, late, batches);
      await match(place, target, staged, settings);
      taken.push({ target, staged, added: 0, late });
    },
    finish: async () => {
      for (const each of taken) await settle(place, each, settings);
      // What others still refer to can only go after them.
      const gone = new Map<Taken, number>();
      for (const each of settings.deleteMissing ? [...taken].reverse() : []) {
        gone.set(each, await deleteMissing(place, each));
      }
      const counts = new Map<string, LoadCounts>();
      for (const each of taken) {
        counts.set(each.target.table, await countsOf(place, each, gone.get(each) ?? 0));
        for (const table of [...each.late.columns.values(), ...each.late.links])
          await place.drop(table);
        if (each.staged) await place.drop(each.staged);
      }
      return counts;
    },
  };
}

async function keyType(place: LoadPlace, { table, key }: KeyedTable): Promise<string> {
  return (await place.columnTypes(table)).get(key) ?? "";
}

/** Makes the tables for keys of rows that may come later than those that refer to them. */
async function stageLate(place: LoadPlace, target: LoadTarget, number: number): Promise<LateKeys> {
  const make = async (name: string, other: KeyedTable) => {
    const columns = [
      { name: "id", type: place.number },
      { name: "key_text", type: await keyType(place, other) },
    ];
    await place.stage(name, columns, "id");
    return name;
  };
  const columns = new Map<number, string>();
  for (const [at, { reference }] of target.columns.entries()) {
    if (reference?.late) columns.set(at, await make(`levadura_late_${number}_${at}`, reference));
  }
  const links: string[] = [];
  for (const [at, link] of target.links.entries()) {
    links.push(await make(`levadura_links_${number}_${at}`, link.target));
  }
  return { columns, links };
}

/** Lays rows ready in a table of their own: what refers is resolved, so that rows can be compared. */
async function stageRows(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
  late: LateKeys,
  batches: Iterable<readonly LoadRow[]>,
): Promise<void> {
  const types = await place.columnTypes(target.table);
  const early = target.columns.flatMap(({ reference }, at) =>
    reference && !reference.late ? [{ at, reference }] : [],
  );
  const keys: StagedColumn[] = [];
  for (const { at, reference } of early) {
    keys.push({ name: `k${at}`, type: await keyType(place, reference) });
  }
  const values = target.columns.map(({ name }, at) => ({
    name: `c${at}`,
    type: types.get(name) ?? "",
  }));
  const number = { name: "n", type: place.number };
  const rest = [
    { name: "id", type: place.number },
    { name: "state", type: "varchar(20)" },
  ];
  await place.stage(staged, [number, ...values, ...keys, ...rest], "n");
  const written = [number, ...values, ...keys];
  let count = 0;
  for (const batch of batches) {
    for (let from = 0; from < batch.length; from += atOnce) {
      const waiting = new Map<string, Value[][]>();
      const rows = batch.slice(from, from + atOnce).map((row) => {
        count++;
        const own = row.values.map((value, at) => (target.columns[at]?.reference ? null : value));
        for (const [at, table] of late.columns) keep(waiting, table, count, row.values[at]);
        row.links.forEach((each, link) => {
          for (const key of each) keep(waiting, late.links[link] ?? "", count, key);
        });
        return [count, ...own, ...early.map(({ at }) => textOf(row.values[at]))];
      });
      await place.insert(staged, written, rows);
      for (const [table, lateRows] of waiting) {
        const type = await lateType(place, target, late, table);
        const columns = [
          { name: "id", type: place.number },
          { name: "key_text", type },
        ];
        await place.insert(table, columns, lateRows);
      }
    }
  }
  for (const { at, reference } of early) await resolve(place, target, staged, at, reference);
}

function keep(waiting: Map<string, Value[][]>, table: string, id: number, key: unknown): void {
  if (key === null || key === undefined) return;
  const rows = waiting.get(table) ?? [];
  rows.push([id, String(key)]);
  waiting.set(table, rows);
}

function textOf(key: unknown): string | null {
  return key === null || key === undefined ? null : String(key);
}

async function lateType(
  place: LoadPlace,
  target: LoadTarget,
  late: LateKeys,
  table: string,
): Promise<string> {
  const column = [...late.columns].find(([, name]) => name === table)?.[0];
  const other =
    column === undefined
      ? target.links[late.links.indexOf(table)]?.target
      : target.columns[column]?.reference;
  return other ? keyType(place, other) : "";
}

async function resolve(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
  at: number,
  { table, key }: KeyedTable,
): Promise<void> {
  await place.run(
    `update ${staged} set c${at} = (select r.id from ${place.quoted(table)} r where r.${place.quoted(key)} = ${staged}.k${at}) where k${at} is not null`,
  );
  const lost = await countIn(place, `${staged} where k${at} is not null and c${at} is null`);
  if (lost > 0) throw strangers(target, target.columns[at]?.name ?? "", { table, key }, lost);
}

async function countIn(place: LoadPlace, from: string): Promise<number> {
  const [row] = await place.rows<{ count: number }>(`select count(*) as count from ${from}`);
  return Number(row?.count ?? 0);
}

/** References lead to rows that are not there. */
export function strangers(
  { table }: LoadTarget,
  column: string,
  { table: other, key }: KeyedTable,
  count: number,
): Failure {
  return new Failure(
    "input",
    `${count} ${count === 1 ? "row" : "rows"} for ${table} refer in ${column} to a row of ${other} that is not there`,
    `they are found by ${key}: correct the data file, or import the rows that they refer to as well`,
  );
}

/** Finds for each staged row the one that is there, and what is to be done with it; then does it. */
async function match(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
  { moment }: LoadSettings,
): Promise<void> {
  const table = place.quoted(target.table);
  const compared = target.columns.flatMap(({ name, reference }, at) =>
    reference?.late ? [] : [{ name: place.quoted(name), at }],
  );
  if (target.key === undefined) await matchWhole(place, target, staged, compared);
  else {
    const key = place.quoted(target.columns[target.key]?.name ?? "");
    const equal =
      compared.map(({ name, at }) => place.same(`t.${name}`, `${staged}.c${at}`)).join(" and ") ||
      "1 = 1";
    await refuseRepeats(place, target, staged, target.key);
    await place.run(
      `update ${staged} set id = (select t.id from ${table} t where t.${key} = ${staged}.c${target.key})`,
    );
    await place.run(
      `update ${staged} set state = (select case when ${equal} then 'same' when ${untouched} then 'changed' else 'conflict' end from ${table} t where t.id = ${staged}.id) where id is not null`,
    );
  }
  const highest = await place.highest(target.table);
  await place.run(`update ${staged} set state = 'new', id = n + ${highest} where id is null`);
  const now = place.moment(moment);
  const names = target.columns.map(({ name }) => place.quoted(name));
  const values = target.columns.map((_, at) => `c${at}`);
  await place.run(
    `insert into ${table} (${["id", ...names, "created_at", "updated_at"].join(", ")}) select ${["id", ...values, now, now].join(", ")} from ${staged} where state = 'new' order by n`,
  );
  await place.goOn(target.table);
  if (compared.length === 0) return;
  await place.updateFrom(
    target.table,
    staged,
    [
      ...compared.map(({ name, at }) => [name, `i.c${at}`] as const),
      ["version", "t.version + 1"],
      ["updated_at", now],
    ],
    "i.state = 'changed'",
  );
}

async function refuseRepeats(
  place: LoadPlace,
  { table, columns }: LoadTarget,
  staged: string,
  key: number,
): Promise<void> {
  const [found] = await place.rows<{ value: unknown; count: number }>(
    `select min(c${key}) as value, count(*) as count from ${staged} where c${key} is not null group by ${place.caseless(`c${key}`)} having count(*) > 1 limit 1`,
  );
  if (!found) return;
  throw new Failure(
    "input",
    `the data for ${table} has the ${columns[key]?.name} ${JSON.stringify(found.value)} ${Number(found.count)} times`,
    "it tells the rows apart: each can stand there once",
  );
}

/** Without a key, a row is the same as one that is there when all of it is; each is matched once. */
async function matchWhole(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
  compared: readonly { name: string; at: number }[],
): Promise<void> {
  const ranked = (content: string, order: string, from: string) =>
    `select ${order}, ${content} as content, row_number() over (partition by ${content} order by ${order}) as turn from ${from}`;
  const [held, found] = [`${staged}_held`, `${staged}_found`];
  const there = place.content(compared.map(({ name }) => `t.${name}`));
  const incoming = place.content(compared.map(({ at }) => `i.c${at}`));
  await place.aside(held, ranked(there, "t.id", `${place.quoted(target.table)} t`), [
    "content",
    "turn",
  ]);
  await place.aside(
    found,
    `select r.n, h.id from (${ranked(incoming, "i.n", `${staged} i`)}) r join ${held} h on h.content = r.content and h.turn = r.turn`,
    ["n"],
  );
  await place.run(
    `update ${staged} set id = (select f.id from ${found} f where f.n = ${staged}.n)`,
  );
  await place.run(`update ${staged} set state = 'same' where id is not null`);
  await place.drop(held);
  await place.drop(found);
}

/** Sets references and links to rows that are there only now. */
async function settle(
  place: LoadPlace,
  { target, staged, late }: Taken,
  { moment }: LoadSettings,
): Promise<void> {
  const table = place.quoted(target.table);
  const now = place.moment(moment);
  const conflicting = `id in (select id from ${staged} where state = 'conflict')`;
  for (const name of staged ? [...late.columns.values(), ...late.links] : []) {
    await place.run(
      `update ${name} set id = (select i.id from ${staged} i where i.n = ${name}.id)`,
    );
    await place.run(`delete from ${name} where ${conflicting}`);
  }
  /** A row that was the same so far, and differs in what is settled late, counts as changed. */
  const markChanged = async (keys: string, differs: string) => {
    await place.run(
      `update ${staged} set state = case when (select ${untouched} from ${table} t where t.id = ${staged}.id) then 'changed late' else 'conflict' end
       where state = 'same' and exists (select 1 from ${table} t where t.id = ${staged}.id and (${differs}))`,
    );
    await place.run(
      `update ${table} set version = version + 1, updated_at = ${now} where id in (select id from ${staged} where state = 'changed late')`,
    );
    await place.run(`update ${staged} set state = 'changed' where state = 'changed late'`);
    await place.run(`delete from ${keys} where ${conflicting}`);
  };
  for (const [at, keys] of late.columns) {
    const { name, reference } = target.columns[at] ?? {};
    if (!name || !reference) continue;
    await refuseStrangers(place, target, keys, name, reference);
    const wanted = `(select r.id from ${keys} l join ${place.quoted(reference.table)} r on r.${place.quoted(reference.key)} = l.key_text where l.id = t.id)`;
    const differs = `not ${place.same(`t.${place.quoted(name)}`, wanted)}`;
    if (staged) await markChanged(keys, differs);
    const within = staged
      ? `t.id in (select id from ${staged} where state <> 'conflict') and `
      : "";
    await place.run(
      `update ${table} as t set ${place.quoted(name)} = ${wanted} where ${within}${differs}`,
    );
  }
  for (const [at, { table: links, from, to, target: other }] of target.links.entries()) {
    const keys = late.links[at] ?? "";
    await refuseStrangers(place, target, keys, links, other);
    const [first, last] = place.insertMissing;
    const [owner, goal] = [place.quoted(from), place.quoted(to)];
    const led = `from ${keys} l join ${place.quoted(other.table)} r on r.${place.quoted(other.key)} = l.key_text`;
    const wanted = `select r.id ${led} where l.id = t.id`;
    const there = `select ${goal} from ${place.quoted(links)} where ${owner} = t.id`;
    if (staged) {
      const differs = `exists (${there} except ${wanted}) or exists (${wanted} except ${there})`;
      await markChanged(keys, differs);
      await place.run(
        `delete from ${place.quoted(links)} where ${owner} in (select id from ${staged} where state = 'changed')`,
      );
    }
    await place.run(
      `${first} into ${place.quoted(links)} (${owner}, ${goal}) select l.id, r.id ${led}${last}`,
    );
  }
}

async function refuseStrangers(
  place: LoadPlace,
  target: LoadTarget,
  keys: string,
  column: string,
  other: KeyedTable,
): Promise<void> {
  const [table, key] = [place.quoted(other.table), place.quoted(other.key)];
  const lost = await countIn(
    place,
    `${keys} l where not exists (select 1 from ${table} r where r.${key} = l.key_text)`,
  );
  if (lost > 0) throw strangers(target, column, other, lost);
}

/** Deletes the rows that a file doesn't have and nobody changed. Gives their number. */
async function deleteMissing(place: LoadPlace, { target, staged }: Taken): Promise<number> {
  if (!staged) return 0;
  const gone = `${staged}_gone`;
  await place.aside(
    gone,
    `select t.id from ${place.quoted(target.table)} t where t.id not in (select id from ${staged}) and ${untouched}`,
  );
  await place.run(`delete from ${place.quoted(target.table)} where id in (select id from ${gone})`);
  const count = await countIn(place, gone);
  await place.drop(gone);
  return count;
}

async function countsOf(
  place: LoadPlace,
  { target, staged, added }: Taken,
  deleted: number,
): Promise<LoadCounts> {
  if (!staged) {
    return {
      added,
      changed: 0,
      same: 0,
      missing: 0,
      deleted: 0,
      conflicts: 0,
      firstConflicts: [],
    };
  }
  const found = await place.rows<{ state: string; count: number }>(
    `select state, count(*) as count from ${staged} group by state`,
  );
  const of = (state: string) => Number(found.find((each) => each.state === state)?.count ?? 0);
  const missing = await countIn(
    place,
    `${place.quoted(target.table)} t where t.id not in (select id from ${staged})`,
  );
  return {
    added: of("new"),
    changed: of("changed"),
    same: of("same"),
    conflicts: of("conflict"),
    missing,
    deleted,
    firstConflicts: await conflictsOf(place, target, staged),
  };
}

async function conflictsOf(
  place: LoadPlace,
  target: LoadTarget,
  staged: string,
): Promise<LoadConflict[]> {
  const key = target.columns[target.key ?? -1];
  if (!key) return [];
  const both = target.columns.flatMap(({ name }, at) => [
    `t.${place.quoted(name)} as t${at}`,
    `i.c${at} as i${at}`,
  ]);
  const rows = await place.rows<Record<string, unknown>>(
    `select ${both.join(", ")} from ${staged} i join ${place.quoted(target.table)} t on t.id = i.id where i.state = 'conflict' order by i.n limit 5`,
  );
  return rows.flatMap((row) =>
    target.columns.flatMap(({ name, reference }, at): LoadConflict[] =>
      reference?.late || row[`t${at}`] === row[`i${at}`]
        ? []
        : [
            {
              key: String(row[`t${target.key}`]),
              column: name,
              stored: String(row[`t${at}`] ?? ""),
              incoming: String(row[`i${at}`] ?? ""),
            },
          ],
    ),
  );
}
