import type Driver from "libsql";
import { encode } from "../../../../kit/database/sqlite/connection.ts";
import { orderOf } from "../../../../kit/database/sqlite/letters.ts";
import { sqlite } from "../../../core/sql/sqlite/dialect.ts";
import { folded, orderColumn, orderTerm } from "../../../core/sql/sqlite/ordering.ts";
import type { LateKeys, LoadPlace } from "../load-place.ts";
import type { KeyedTable, Loader, LoadRow, LoadSettings, LoadTarget } from "../loading.ts";
import { stagedLoader } from "../staged-loading.ts";
import { strangers } from "../staging.ts";
import { highest, most, withoutIndexes } from "./filling.ts";

const { quoted } = sqlite;

/** Loads rows into the tables of a SQLite file. */
export function sqliteLoader(driver: Driver.Database, settings: LoadSettings): Loader {
  const drop = async (table: string) => {
    driver.exec(`drop table ${table}`);
  };
  const place: LoadPlace = {
    quoted,
    run: async (statement) => {
      driver.exec(statement);
    },
    rows: async (query) => driver.prepare(query).all() as never,
    columnTypes: async (table) => {
      const rows = driver.prepare("select name, type from pragma_table_info(?)").all(table);
      // Texts are compared whatever their case; equality to the letter is asked for where it is meant.
      return new Map(
        (rows as { name: string; type: string }[]).map(({ name, type }) => [
          name,
          /text/i.test(type) ? `${type} collate nocase` : type,
        ]),
      );
    },
    number: "integer",
    stage: async (table, columns, indexed) => {
      const lines = columns.map(({ name, type }) =>
        name === "n" ? "n integer primary key" : `${name} ${type}`,
      );
      driver.exec(`create temp table ${table} (${lines.join(", ")})`);
      if (indexed && indexed !== "n") {
        driver.exec(`create index ${table}_${indexed} on ${table} (${indexed})`);
      }
    },
    aside: async (table, query, indexed = []) => {
      driver.exec(`create temp table ${table} as ${query}`);
      if (indexed.length > 0) {
        driver.exec(`create index ${table}_place on ${table} (${indexed.join(", ")})`);
      }
    },
    drop,
    insert: async (table, columns, rows) => {
      const row = `(${columns.map(() => "?").join(", ")})`;
      const room = Math.max(1, Math.min(most.rows, Math.floor(most.values / columns.length)));
      const into = `insert into ${table} (${columns.map(({ name }) => name).join(", ")}) values`;
      const many = driver.prepare(`${into} ${Array(room).fill(row).join(", ")}`);
      const single = driver.prepare(`${into} ${row}`);
      let at = 0;
      for (; at + room <= rows.length; at += room) {
        many.run(rows.slice(at, at + room).flatMap((each) => each.map(encode)));
      }
      for (const each of rows.slice(at)) single.run(each.map(encode));
    },
    updateFrom: async (table, staged, sets, condition) => {
      const list = sets.map(([column, value]) => `${column} = ${value}`).join(", ");
      driver.exec(
        `update ${quoted(table)} as t set ${list} from ${staged} as i where i.id = t.id and ${condition}`,
      );
    },
    same: (one, other) => `(${one} is ${other} collate binary)`,
    caseless: folded,
    hasKey: (alias, of, text) =>
      isText(driver, of)
        ? `${orderTerm(of.key, alias)} = ${folded(text)}`
        : `${alias}.${quoted(of.key)} = ${text}`,
    content: (expressions) => `json_array(${expressions.join(", ")})`,
    moment: (text) => `'${text}'`,
    highest: async (table) => highest(driver, table),
    goOn: async () => undefined,
    insertMissing: ["insert or ignore", ""],
    fill: async (target, late, batches) =>
      withoutIndexes(driver, target.table, () => {
        // The rows were checked already; checking them again would take half of the time.
        driver.pragma("ignore_check_constraints = on");
        try {
          return insertRows(driver, target, late, batches, settings.moment);
        } finally {
          driver.pragma("ignore_check_constraints = off");
        }
      }),
  };
  return stagedLoader(place, settings);
}

/** Whether a key is a text with a column of sort keys beside it. */
function isText(driver: Driver.Database, { table, key }: KeyedTable): boolean {
  const beside = driver
    .prepare("select 1 from pragma_table_info(?) where name = ?")
    .all([table, orderColumn(key)]);
  return beside.length > 0;
}

/** Inserts rows, one hundred per statement, with late references and links apart. Returns their number. */
function insertRows(
  driver: Driver.Database,
  target: LoadTarget,
  late: LateKeys,
  batches: Iterable<readonly LoadRow[]>,
  moment: string,
): number {
  const width = target.columns.length + 1;
  const atOnce = Math.max(1, Math.min(most.rows, Math.floor(most.values / width)));
  const byText = target.columns.map(
    ({ reference }) => reference !== undefined && isText(driver, reference),
  );
  const many = driver.prepare(insertSql(target, byText, atOnce, moment));
  const single = driver.prepare(insertSql(target, byText, 1, moment));
  const keeping = (table: string) =>
    driver.prepare(`insert into ${table} (id, key_text) values (?, ?)`);
  const lateColumns = new Map([...late.columns].map(([at, table]) => [at, keeping(table)]));
  const lateLinks = late.links.map(keeping);
  const references = target.columns.flatMap(({ reference }, at) =>
    reference ? [{ at, late: lateColumns.get(at), given: 0 }] : [],
  );
  const first = highest(driver, target.table) + 1;
  let number = first;
  let values: (string | number | bigint | null)[] = [];
  let waiting = 0;
  for (const batch of batches) {
    for (const row of batch) {
      for (const reference of references) {
        const key = row.values[reference.at];
        if (key === null || key === undefined) continue;
        reference.given++;
        if (!reference.late) continue;
        reference.late.run([number, String(key)]);
        row.values[reference.at] = null;
      }
      for (const [link, keys] of row.links.entries()) {
        for (const key of keys) lateLinks[link]?.run([number, key]);
      }
      values.push(number);
      for (const [at, value] of row.values.entries()) {
        values.push(byText[at] && typeof value === "string" ? orderOf(value) : encode(value));
      }
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
    const { name, reference } = target.columns[at] ?? {};
    if (!later && name && reference) {
      refuseUnresolved(driver, target, name, reference, given);
    }
  }
  return number - first;
}

function insertSql(
  target: LoadTarget,
  byText: readonly boolean[],
  rows: number,
  moment: string,
): string {
  const names = target.columns.map(({ name }) => quoted(name));
  const given = target.columns.map(({ reference }, at) =>
    reference
      ? `(select id from ${quoted(reference.table)} where ${byText[at] ? orderTerm(reference.key) : quoted(reference.key)} = ?)`
      : "?",
  );
  const row = `(${["?", ...given, `'${moment}'`, `'${moment}'`].join(", ")})`;
  return `insert into ${quoted(target.table)} (${["id", ...names, "created_at", "updated_at"].join(", ")}) values ${Array(rows).fill(row).join(", ")}`;
}

/** Throws when fewer references led somewhere than were given. */
function refuseUnresolved(
  driver: Driver.Database,
  target: LoadTarget,
  name: string,
  reference: KeyedTable,
  given: number,
): void {
  const [found] = driver
    .prepare(`select count(${quoted(name)}) as count from ${quoted(target.table)}`)
    .all() as { count: number }[];
  const lost = given - Number(found?.count);
  if (lost > 0) throw strangers(target, name, reference, lost);
}
