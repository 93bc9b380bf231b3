import { chmodSync, existsSync } from "node:fs";
import { dirname } from "node:path";
import type Driver from "libsql";
import { migrationConnection, openFile } from "../../../../kit/database/sqlite/connection.ts";
import { constraintViolation } from "../../../../kit/database/sqlite/tables.ts";
import { Failure } from "../../../core/failure.ts";
import type { Value } from "../../../core/seeding/value.ts";
import { sqlite } from "../../../core/sql/sqlite/dialect.ts";
import { ownerOnly } from "../../project/files.ts";
import { type Engine, loadedTables } from "../engine.ts";
import { catalogueOf, readCatalogue } from "./catalogue.ts";
import { sqliteFiller } from "./filling.ts";
import { sqliteLoader } from "./loading.ts";

const { quoted } = sqlite;

/** Opens a SQLite file, and makes it when it isn't there. */
export function openSqlite(file: string): Engine {
  const driver = open(file);
  const migrations = migrationConnection(driver);
  return {
    dialect: sqlite,
    migrations,
    constraintViolation,
    place: file,
    failure: (error) => databaseFailure(file, error),
    clear: async (copy) => clear(driver, copy),
    count: async (query) => {
      const [row] = driver.prepare(`select count(*) as count from (${query})`).all() as {
        count: number;
      }[];
      return Number(row?.count);
    },
    sample: async (query, rows) => {
      const found = driver.prepare(`select * from (${query}) order by id limit ${rows}`).all();
      return (found as { id: unknown; value: unknown }[]).map(({ id, value }) => ({ id, value }));
    },
    catalogue: async () => readCatalogue(driver),
    catalogueOf: async (schema) => catalogueOf(schema),
    hasTable: migrations.hasTable,
    isUntouched: async (table) => {
      // The highest number that AUTOINCREMENT ever gave is remembered here, also when its row is gone.
      const used = driver
        .prepare("select seq from sqlite_sequence where name = ? and seq > 0")
        .all(table);
      return used.length === 0;
    },
    values: async (table, column) => {
      const known = driver
        .prepare("select 1 from pragma_table_info(?) where name = ?")
        .all([table, column]);
      if (known.length === 0) return [];
      const rows = driver.prepare(`select ${quoted(column)} as value from ${quoted(table)}`).all();
      return (rows as { value: Value }[]).map(({ value }) => value);
    },
    filler: sqliteFiller(driver),
    noteSeeded: async (table, first, last) => {
      driver
        .prepare("insert into levadura_seeded (entity_table, first_id, last_id) values (?, ?, ?)")
        .run([table, first, last]);
    },
    loads: async () => {
      if (!(await migrations.hasTable("levadura_loads"))) return [];
      const rows = driver.prepare(loadedTables);
      return rows.all() as { entity: string; checksum: string }[];
    },
    noteLoad: async (entity, table, checksum, moment) => {
      driver
        .prepare(
          "insert into levadura_loads (entity, entity_table, checksum, loaded_at) values (?, ?, ?, ?)",
        )
        .run([entity, table, checksum, moment]);
    },
    loader: (settings) => sqliteLoader(driver, settings),
    transaction: async (work) => {
      driver.exec("begin immediate");
      try {
        const result = await work();
        driver.exec("commit");
        return result;
      } catch (error) {
        if (driver.inTransaction) driver.exec("rollback");
        throw error;
      }
    },
    close: async () => {
      driver.close();
    },
  };
}

function clear(driver: Driver.Database, copy: string): void {
  const version = () => JSON.stringify(driver.prepare("pragma data_version").all());
  const before = version();
  driver.exec(`vacuum into '${copy.replaceAll("'", "''")}'`);
  chmodSync(copy, ownerOnly.file);
  driver.pragma("foreign_keys = off");
  driver.exec("begin immediate");
  try {
    if (version() !== before) {
      const help = "try it again while nobody works in the application";
      throw new Failure("outside", "somebody wrote while the database was copied", help);
    }
    const entries = driver
      .prepare(
        "select type, name from sqlite_schema where type in ('view', 'trigger', 'table') and name not like 'sqlite%' order by type = 'table'",
      )
      .all() as { type: string; name: string }[];
    for (const { type, name } of entries) driver.exec(`drop ${type} if exists ${quoted(name)}`);
    driver.exec("commit");
  } catch (error) {
    if (driver.inTransaction) driver.exec("rollback");
    throw error;
  } finally {
    driver.pragma("foreign_keys = on");
  }
}

function open(file: string): Driver.Database {
  if (!existsSync(dirname(file))) {
    throw new Failure("outside", `there is no folder ${dirname(file)} for the database`);
  }
  // The driver alone looks into the file: whoever else opens and closes it takes away the locks of this process.
  try {
    return openFile(file);
  } catch (error) {
    throw databaseFailure(file, error);
  }
}

/** An error of the driver, as a failure that says which file and what to do. */
function databaseFailure(file: string, error: unknown): Failure {
  const { code = "", message } = error as { code?: string; message: string };
  if (code === "SQLITE_NOTADB") {
    return new Failure(
      "outside",
      `${file} is not a SQLite database`,
      "move it away, or set DATABASE_URL to another file as sqlite:path/to.db",
    );
  }
  const reason =
    code === "SQLITE_BUSY"
      ? "another program is writing to it"
      : code === "SQLITE_READONLY" || /readonly|attempt to write/.test(message)
        ? "it may not be written"
        : code === "SQLITE_FULL"
          ? "the disk is full"
          : code === "EISDIR"
            ? "it is a folder"
            : code === "SQLITE_CORRUPT"
              ? "it is damaged"
              : /unable to open/i.test(message) || /: 14/.test(message)
                ? "it can't be opened or made there"
                : message;
  return new Failure("outside", `the database ${file}: ${reason}`);
}
