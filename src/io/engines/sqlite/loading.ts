import type Driver from "libsql";
import { encode } from "../../../../kit/database/sqlite/connection.ts";
import { Failure } from "../../../core/failure.ts";
import { sqlite } from "../../../core/sql/sqlite/sqlite.ts";
import type {
  KeyedTable,
  LoadConflict,
  LoadCounts,
  Loader,
  LoadRow,
  LoadSettings,
  LoadTarget,
} from "../loading.ts";

const { quoted } = sqlite;

/** A table that was taken, and what is known of its rows. */
interface Taken {
  target: LoadTarget;
  /** The temporary table of its rows; undefined where all of them were new to an empty table. */
  staged: string | undefined;
  added: number;
  /** The temporary table of what is still to be settled. */
  late: string;
}

/** Rows and values that one statement takes: more are no faster. */
const most = { rows: 100, values: 30_000 };

/** Whether nobody changed row `t` since a load wrote it. */
const untouched = `(t.updated_at in (select loaded_at from levadura_loads) and (t.version = 1 or t.updated_at <> t.created_at))`;

/** Loads rows into the tables of a SQLite file. */
export function sqliteLoader(driver: Driver.Database, settings: LoadSettings): Loader {
  const taken: Taken[] = [];
  return {
    take: (target, batches) => {
      const number = taken.length;
      const late = `levadura_late_${number}`;
      driver.exec(`create temp table ${late} (place integer, id integer, key text collate nocase)`);
      const empty =
        driver.prepare(`select 1 from ${quoted(target.table)} limit 1`).all().length === 0;
      const staged = empty ? undefined : `levadura_incoming_${number}`;
      const added = staged
        ? stage(driver, target, staged, late, batches)
        : fill(driver, target, late, batches, settings);
      if (staged) match(driver, target, staged, settings);
      taken.push({ target, staged, added, late });
    },
    finish: () => {
      for (const each of taken) settle(driver, each, settings);
      // What others still refer to can only go after them.
      for (const each of [...taken].reverse())
        if (settings.deleteMissing) deleteMissing(driver, each);
      const counts = new Map(taken.map((each) => [each.target.table, countsOf(driver, each)]));
      for (const { staged, late } of taken) {
        driver.exec(`drop table ${late}`);
        if (staged) driver.exec(`drop table ${staged}`);
      }
      return counts;
    },
  };
}

/** The expression that gives a column's value, of the JSON text of a row or of a staged one. */
function columnValue({ columns }: LoadTarget, at: number, given: string): string {
  const { reference } = columns[at] ?? {};
  if (!reference) return given;
  return `(select id from ${quoted(reference.table)} where ${quoted(reference.key)} = ${given})`;
}

function isLate({ columns }: LoadTarget, at: number): boolean {
  return columns[at]?.reference?.late ?? false;
}

/** Where rows are inserted: the column of their numbers, and one for each that they have a value for. */
interface Destination {
  table: string;
  number: string;
  columns: string[];
  /** What every row has besides. */
  constants: Readonly<Record<string, string>>;
}

/** Inserts rows, a hundred a statement, with late references and links apart. Gives their number. */
function insertRows(
  driver: Driver.Database,
  target: LoadTarget,
  late: string,
  first: number,
  batches: Iterable<readonly LoadRow[]>,
  destination: Destination,
): number {
  const room = Math.floor(most.values / (target.columns.length + 1));
  const atOnce = Math.max(1, Math.min(most.rows, room));
  const many = driver.prepare(insertSql(target, destination, atOnce));
  const single = driver.prepare(insertSql(target, destination, 1));
  const keepLate = driver.prepare(`insert into ${late} (place, id, key) values (?, ?, ?)`);
  const references = target.columns.flatMap(({ reference }, at) =>
    reference ? [{ at, late: reference.late, given: 0 }] : [],
  );
  let number = first;
  let values: (string | number | bigint | null)[] = [];
  let waiting = 0;
  const width = target.columns.length + 1;
  for (const batch of batches) {
    for (const row of batch) {
      for (const reference of references) {
        const key = row.values[reference.at];
        if (key === null || key === undefined) continue;
        reference.given++;
        if (!reference.late) continue;
        keepLate.run([reference.at, number, String(key)]);
        row.values[reference.at] = null;
      }
      for (const [link, keys] of row.links.entries()) {
        for (const key of keys) keepLate.run([-1 - link, number, key]);
      }
      values.push(number);
      for (const value of row.values) values.push(encode(value));
      number++;
      waiting++;
      if (waiting < atOnce) continue;
      many.run(values);
      values = [];
      waiting = 0;
    }
  }
  for (let at = 0; at < values.length; at += width) single.run(values.slice(at, at + width));
  for (const { at, late: later, given } of references) {
    if (!later) refuseUnresolved(driver, target, at, given, destination);
  }
  return number - first;
}

function insertSql(
  target: LoadTarget,
  { table, number, columns, constants }: Destination,
  rows: number,
): string {
  const names = [number, ...columns, ...Object.keys(constants)].join(", ");
  const fixed = Object.values(constants).map((text) => `'${text.replaceAll("'", "''")}'`);
  const row = `(${["?", ...target.columns.map((_, at) => columnValue(target, at, "?")), ...fixed].join(", ")})`;
  return `insert into ${table} (${names}) values ${Array(rows).fill(row).join(", ")}`;
}

/** Throws when fewer references led somewhere than were given. */
function refuseUnresolved(
  driver: Driver.Database,
  target: LoadTarget,
  at: number,
  given: number,
  { table, columns }: Destination,
): void {
  const { name, reference } = target.columns[at] ?? {};
  const [found] = driver.prepare(`select count(${columns[at]}) as count from ${table}`).all() as {
    count: number;
  }[];
  const lost = given - Number(found?.count);
  if (lost > 0 && name && reference) throw strangers(target, name, reference, lost);
}

/** Fills an empty table. Its indexes are made anew afterwards, which is faster than keeping them up. */
function fill(
  driver: Driver.Database,
  target: LoadTarget,
  late: string,
  batches: Iterable<readonly LoadRow[]>,
  { moment }: LoadSettings,
): number {
  const table = quoted(target.table);
  const indexes = driver
    .prepare(
      "select name, sql from sqlite_schema where type = 'index' and tbl_name = ? and sql is not null",
    )
    .all(target.table) as { name: string; sql: string }[];
  for (const { name } of indexes) driver.exec(`drop index ${quoted(name)}`);
  const [used] = driver
    .prepare("select seq from sqlite_sequence where name = ?")
    .all(target.table) as { seq: number }[];
  // The rows hold to the checks, or they would not come here; checking them again takes half the time.
  driver.pragma("ignore_check_constraints = on");
  try {
    return insertRows(driver, target, late, Number(used?.seq ?? 0) + 1, batches, {
      table,
      number: "id",
      columns: target.columns.map(({ name }) => quoted(name)),
      constants: { created_at: moment, updated_at: moment },
    });
  } finally {
    driver.pragma("ignore_check_constraints = off");
    for (const { sql } of indexes) driver.exec(sql);
  }
}

function strangers(
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

/** Lays rows ready in a table of their own: what refers is resolved, so that rows can be compared. */
function stage(
  driver: Driver.Database,
  target: LoadTarget,
  staged: string,
  late: string,
  batches: Iterable<readonly LoadRow[]>,
): number {
  const columns = target.columns.map((_, at) => `c${at}`);
  // Of the same types as where they go, so that equal values are equal in every respect.
  const types = new Map(
    (
      driver.prepare("select name, type from pragma_table_info(?)").all(target.table) as {
        name: string;
        type: string;
      }[]
    ).map(({ name, type }) => [name, type]),
  );
  const typed = target.columns.map(({ name }, at) => `c${at} ${types.get(name) ?? ""}`);
  driver.exec(
    `create temp table ${staged} (n integer primary key, id integer, state text, ${typed.join(", ")})`,
  );
  return insertRows(driver, target, late, 1, batches, {
    table: staged,
    number: "n",
    columns,
    constants: {},
  });
}

/** Finds for each staged row the one that is there, and what is to be done with it; then does it. */
function match(
  driver: Driver.Database,
  target: LoadTarget,
  staged: string,
  { moment }: LoadSettings,
): void {
  const table = quoted(target.table);
  const compared = target.columns.flatMap(({ name }, at) =>
    isLate(target, at) ? [] : [{ name: quoted(name), at }],
  );
  const equal =
    compared.map(({ name, at }) => `t.${name} is ${staged}.c${at} collate binary`).join(" and ") ||
    "true";
  if (target.key !== undefined) {
    const key = quoted(target.columns[target.key]?.name ?? "");
    refuseRepeats(driver, target, staged, target.key);
    driver.exec(
      `update ${staged} set id = (select t.id from ${table} t where t.${key} = ${staged}.c${target.key})`,
    );
    driver.exec(
      `update ${staged} set state = (select case when ${equal} then 'same' when ${untouched} then 'changed' else 'conflict' end
       from ${table} t where t.id = ${staged}.id) where id is not null`,
    );
  } else matchWhole(driver, target, staged);
  driver.exec(
    `update ${staged} set state = 'new', id = n + (select coalesce(max(seq), 0) from sqlite_sequence where name = '${target.table.replaceAll("'", "''")}') where id is null`,
  );
  const names = target.columns.map(({ name }) => quoted(name)).join(", ");
  const values = target.columns.map((_, at) => `c${at}`).join(", ");
  driver
    .prepare(
      `insert into ${table} (id, ${names}, created_at, updated_at) select id, ${values}, ?, ? from ${staged} where state = 'new' order by n`,
    )
    .run([moment, moment]);
  const sets = compared.map(({ name, at }) => `${name} = i.c${at}`).join(", ");
  if (!sets) return;
  driver
    .prepare(
      `update ${table} set ${sets}, version = version + 1, updated_at = ? from ${staged} i where i.id = ${table}.id and i.state = 'changed'`,
    )
    .run([moment]);
}

function refuseRepeats(
  driver: Driver.Database,
  { table, columns }: LoadTarget,
  staged: string,
  key: number,
): void {
  const [found] = driver
    .prepare(
      `select c${key} as value, count(*) as count from ${staged} where c${key} is not null group by c${key} collate nocase having count(*) > 1 limit 1`,
    )
    .all() as { value: unknown; count: number }[];
  if (!found) return;
  throw new Failure(
    "input",
    `the data for ${table} has the ${columns[key]?.name} ${JSON.stringify(found.value)} ${found.count} times`,
    "it tells the rows apart: each can stand there once",
  );
}

/** Without a key, a row is the same as one that is there when all of it is; each is matched once. */
function matchWhole(driver: Driver.Database, target: LoadTarget, staged: string): void {
  const table = quoted(target.table);
  const order = target.columns.flatMap(({ name }, at) =>
    isLate(target, at) ? [] : [{ name: quoted(name), at }],
  );
  const text = (of: (each: { name: string; at: number }) => string) =>
    `json_array(${order.map(of).join(", ")})`;
  const held = `${staged}_held`;
  driver.exec(
    `create temp table ${held} as select t.id, ${text(({ name }) => `t.${name}`)} as content,
       row_number() over (partition by ${text(({ name }) => `t.${name}`)} order by t.id) as turn from ${table} t`,
  );
  driver.exec(`create index ${held}_content on ${held} (content, turn)`);
  driver.exec(
    `update ${staged} set id = found.id, state = 'same' from (
       select i.n, h.id from (
         select n, ${text(({ at }) => `c${at}`)} as content,
           row_number() over (partition by ${text(({ at }) => `c${at}`)} order by n) as turn from ${staged}
       ) i join ${held} h on h.content = i.content and h.turn = i.turn
     ) found where found.n = ${staged}.n`,
  );
  driver.exec(`drop table ${held}`);
}

/** Sets references and links to rows that are there only now. */
function settle(
  driver: Driver.Database,
  { target, staged, late }: Taken,
  { moment }: LoadSettings,
): void {
  const table = quoted(target.table);
  if (staged) {
    driver.exec(`update ${late} set id = (select i.id from ${staged} i where i.n = ${late}.id)`);
    driver.exec(
      `delete from ${late} where id in (select id from ${staged} where state = 'conflict')`,
    );
  }
  driver.exec(`create index ${late}_place on ${late} (place, id)`);
  target.columns.forEach(({ name, reference }, at) => {
    if (!reference?.late) return;
    refuseStrangers(driver, target, late, at, name, reference);
    const key = `(select r.id from ${late} l join ${quoted(reference.table)} r on r.${quoted(reference.key)} = l.key where l.place = ${at} and l.id = t.id)`;
    const within = staged
      ? `t.id in (select id from ${staged} where state <> 'conflict') and `
      : "";
    if (staged)
      markChanged(driver, table, { staged, late }, `t.${quoted(name)} is not ${key}`, moment);
    driver.exec(
      `update ${table} as t set ${quoted(name)} = ${key} where ${within}t.${quoted(name)} is not ${key}`,
    );
  });
  target.links.forEach(({ table: links, from, to, target: other }, at) => {
    refuseStrangers(driver, target, late, -1 - at, links, other);
    const wanted = `select l.id, r.id from ${late} l join ${quoted(other.table)} r on r.${quoted(other.key)} = l.key where l.place = ${-1 - at}`;
    if (staged) {
      const differ = `exists (select ${quoted(to)} from ${quoted(links)} where ${quoted(from)} = t.id
          except select r.id from ${late} l join ${quoted(other.table)} r on r.${quoted(other.key)} = l.key where l.place = ${-1 - at} and l.id = t.id)
        or exists (select r.id from ${late} l join ${quoted(other.table)} r on r.${quoted(other.key)} = l.key where l.place = ${-1 - at} and l.id = t.id
          except select ${quoted(to)} from ${quoted(links)} where ${quoted(from)} = t.id)`;
      markChanged(driver, table, { staged, late }, differ, moment);
      driver.exec(
        `delete from ${quoted(links)} where ${quoted(from)} in (select id from ${staged} where state = 'changed')`,
      );
    }
    driver.exec(
      `insert or ignore into ${quoted(links)} (${quoted(from)}, ${quoted(to)}) ${wanted}`,
    );
  });
}

/** A row that was the same so far, and differs in what is settled late, counts as changed. */
function markChanged(
  driver: Driver.Database,
  table: string,
  { staged, late }: { staged: string; late: string },
  differs: string,
  moment: string,
): void {
  driver.exec(
    `update ${staged} set state = case when (select ${untouched} from ${table} t where t.id = ${staged}.id) then 'changed late' else 'conflict' end
     where state = 'same' and exists (select 1 from ${table} t where t.id = ${staged}.id and (${differs}))`,
  );
  driver
    .prepare(
      `update ${table} set version = version + 1, updated_at = ? where id in (select id from ${staged} where state = 'changed late')`,
    )
    .run([moment]);
  driver.exec(`update ${staged} set state = 'changed' where state = 'changed late'`);
  driver.exec(
    `delete from ${late} where id in (select id from ${staged} where state = 'conflict')`,
  );
}

function refuseStrangers(
  driver: Driver.Database,
  target: LoadTarget,
  late: string,
  place: number,
  column: string,
  other: KeyedTable,
): void {
  const [found] = driver
    .prepare(
      `select count(*) as count from ${late} l where l.place = ? and not exists (select 1 from ${quoted(other.table)} r where r.${quoted(other.key)} = l.key)`,
    )
    .all([place]) as { count: number }[];
  if (Number(found?.count) > 0) throw strangers(target, column, other, Number(found?.count));
}

function deleteMissing(driver: Driver.Database, taken: Taken): void {
  const { target, staged } = taken;
  if (!staged) return;
  driver.exec(`create temp table ${staged}_gone as select t.id from ${quoted(target.table)} t
     where t.id not in (select id from ${staged}) and ${untouched}`);
  driver.exec(`delete from ${quoted(target.table)} where id in (select id from ${staged}_gone)`);
}

function countsOf(driver: Driver.Database, { target, staged, added }: Taken): LoadCounts {
  const none = {
    added: 0,
    changed: 0,
    same: 0,
    missing: 0,
    deleted: 0,
    conflicts: 0,
    firstConflicts: [],
  };
  if (!staged) return { ...none, added };
  const states = new Map(
    (
      driver.prepare(`select state, count(*) as count from ${staged} group by state`).all() as {
        state: string;
        count: number;
      }[]
    ).map(({ state, count }) => [state, Number(count)]),
  );
  const one = (text: string) =>
    Number((driver.prepare(text).all() as { count: number }[])[0]?.count ?? 0);
  const gone =
    driver.prepare("select 1 from temp.sqlite_schema where name = ?").all([`${staged}_gone`])
      .length > 0;
  const deleted = gone ? one(`select count(*) as count from ${staged}_gone`) : 0;
  const missing = one(
    `select count(*) as count from ${quoted(target.table)} t where t.id not in (select id from ${staged})`,
  );
  if (gone) driver.exec(`drop table ${staged}_gone`);
  return {
    added: states.get("new") ?? 0,
    changed: states.get("changed") ?? 0,
    same: states.get("same") ?? 0,
    conflicts: states.get("conflict") ?? 0,
    missing,
    deleted,
    firstConflicts: conflictsOf(driver, target, staged),
  };
}

function conflictsOf(driver: Driver.Database, target: LoadTarget, staged: string): LoadConflict[] {
  const key = target.columns[target.key ?? -1];
  if (!key) return [];
  const rows = driver
    .prepare(
      `select ${target.columns.flatMap(({ name }, at) => [`t.${quoted(name)} as t${at}`, `i.c${at} as i${at}`]).join(", ")}
       from ${staged} i join ${quoted(target.table)} t on t.id = i.id where i.state = 'conflict' order by i.n limit 5`,
    )
    .all() as Record<string, unknown>[];
  return rows.flatMap((row) =>
    target.columns.flatMap(({ name }, at): LoadConflict[] =>
      isLate(target, at) || row[`t${at}`] === row[`i${at}`]
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
