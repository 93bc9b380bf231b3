import type Driver from "libsql";
import { encode } from "../../../../kit/database/sqlite/connection.ts";
import { orderOf } from "../../../../kit/database/sqlite/letters.ts";
import { folded, orderColumn, orderTerm } from "../../../../kit/database/sqlite/text-order.ts";
import type { Value } from "../../../core/seeding/value.ts";
import { sqlite } from "../../../core/sql/sqlite/dialect.ts";
import { inUseFirst, type LateKeys, type LoadPlace } from "../load-place.ts";
import type { KeyedTable, Loader, LoadRow, LoadSettings, LoadTarget } from "../loading.ts";
import { stagedLoader } from "../staged-loading.ts";
import { strangers } from "../staging.ts";
import { highest, Inserter, withoutIndexes, withoutTriggers } from "./filling.ts";

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
      const names = columns.map(({ name }) => name);
      const inserter = new Inserter(driver, table, names, undefined);
      for (const row of rows) inserter.add(row);
      inserter.finish();
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
      withoutTriggers(driver, target.table, () =>
        withoutIndexes(
          driver,
          target.table,
          () => {
            // The rows were checked already; checking them again would take half of the time.
            driver.pragma("ignore_check_constraints = on");
            try {
              return insertRows(driver, target, late, batches, settings.moment);
            } finally {
              driver.pragma("ignore_check_constraints = off");
            }
          },
          (share) => settings.indexing(target.table, share),
        ),
      ),
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

/** Inserts rows into an empty table, with late references and links apart. Returns their number. */
function insertRows(
  driver: Driver.Database,
  target: LoadTarget,
  late: LateKeys,
  batches: Iterable<readonly LoadRow[]>,
  moment: string,
): number {
  const names = target.columns.map(({ name }) => name);
  const inserter = new Inserter(driver, target.table, names, moment);
  const keeping = (table: string) =>
    driver.prepare(`insert into ${table} (id, key_text) values (?, ?)`);
  const lateColumns = [...late.columns].map(([at, table]) => ({ at, keys: keeping(table) }));
  const lateLinks = late.links.map(keeping);
  const references = target.columns.flatMap(({ name, reference }, at) =>
    reference && !reference.late
      ? [{ at, name, reference, numbers: new Numbers(driver, reference) }]
      : [],
  );
  const first = highest(driver, target.table) + 1;
  let number = first;
  for (const batch of batches) {
    for (const { values, links } of batch) {
      let isWhole = true;
      for (const { at, numbers } of references) {
        const key = values[at] ?? null;
        if (key === null) continue;
        values[at] = numbers.of(key);
        if (values[at] === null) isWhole = false;
      }
      for (const { at, keys } of lateColumns) {
        const key = values[at] ?? null;
        if (key === null) continue;
        keys.run([number, String(key)]);
        values[at] = null;
      }
      for (const [link, keys] of links.entries()) {
        for (const key of keys) lateLinks[link]?.run([number, key]);
      }
      // The others are refused once all are counted.
      if (isWhole) inserter.add(values);
      number++;
    }
  }
  for (const { name, reference, numbers } of references) {
    if (numbers.lost > 0) throw strangers(target, name, reference, numbers.lost);
  }
  inserter.finish();
  return number - first;
}

/** Numbers that are kept at once. */
const mostNumbers = 50_000;

/** The numbers of records, by the keys that refer to them. Those that come again are asked for once. */
class Numbers {
  readonly #known = new Map<Value, number | null>();
  readonly #statement: Driver.Statement;
  readonly #isText: boolean;
  /** Keys that no record has. */
  lost = 0;

  constructor(driver: Driver.Database, keyed: KeyedTable) {
    const { table, key } = keyed;
    this.#isText = isText(driver, keyed);
    const term = this.#isText ? orderTerm(key) : quoted(key);
    this.#statement = driver.prepare(
      `select t.id from ${quoted(table)} as t where ${term} = ?${inUseFirst({ quoted }, "t", keyed)}`,
    );
  }

  of(key: Value): number | null {
    const known = this.#known.get(key);
    const number = known === undefined ? this.#find(key) : known;
    if (number === null) this.lost++;
    if (known === undefined && this.#known.size < mostNumbers) this.#known.set(key, number);
    return number;
  }

  #find(key: Value): number | null {
    const value = this.#isText && typeof key === "string" ? orderOf(key) : encode(key);
    const [row] = this.#statement.all([value]) as { id: number }[];
    return row ? Number(row.id) : null;
  }
}
