import type { Client } from "../../../../kit/database/mariadb/client.ts";
import {
  connect,
  endTurn,
  isReady,
  migrationConnection,
  takeTurn,
} from "../../../../kit/database/mariadb/connection.ts";
import { constraintViolation } from "../../../../kit/database/mariadb/tables.ts";
import { written } from "../../../../kit/database/mariadb/timestamps.ts";
import { Failure } from "../../../core/failure.ts";
import type { Value } from "../../../core/seeding/value.ts";
import { mariadb } from "../../../core/sql/mariadb/dialect.ts";
import { copyTables } from "../copying.ts";
import { type Engine, loadedTables } from "../engine.ts";
import { common, denied, full, missing, serverFailure, stopped } from "../server-failure.ts";
import { catalogueOf, readCatalogue } from "./catalogue.ts";
import { beginAgain, mariadbFiller } from "./filling.ts";
import { mariadbLoader } from "./loading.ts";

const { quoted } = mariadb;

/** Opens a MariaDB database. */
export async function openMariadb(address: URL): Promise<Engine> {
  return engineOf(await connected(address), address);
}

/** Whether a server takes changes; it must answer. */
export async function takesChanges(address: URL): Promise<boolean> {
  const client = await connected(serverOf(address));
  return isReady(client).finally(() => client.end());
}

/** The address of the server itself, without a database. */
function serverOf(address: URL): URL {
  const server = new URL(address);
  server.pathname = "/";
  return server;
}

/** Whether a database is there; the server must answer. */
export async function hasMariadb(address: URL): Promise<boolean> {
  try {
    await (await connected(address)).end();
    return true;
  } catch (error) {
    if (error instanceof Failure && error.details === "ER_BAD_DB_ERROR") return false;
    throw error;
  }
}

/** Creates a database, unless another process just did. */
export async function createMariadb(address: URL): Promise<void> {
  const client = await connected(serverOf(address));
  const name = decodeURIComponent(address.pathname.slice(1));
  try {
    await client.query(`create database if not exists ${quoted(name)} character set utf8mb4`);
  } catch (error) {
    throw mariadbFailure(address, error);
  } finally {
    await client.end();
  }
}

async function connected(address: URL): Promise<Client> {
  try {
    return await connect(address.href);
  } catch (error) {
    throw mariadbFailure(address, error);
  }
}

const lost = ["the connection was lost", "run it again: it continues where it stopped"] as const;

/** An error of the driver, as a failure. */
function mariadbFailure(address: URL, error: unknown): Failure {
  return serverFailure(
    address,
    3306,
    {
      ...common,
      ER_ACCESS_DENIED_ERROR: ["it refuses the account or the password", "correct DATABASE_URL"],
      ER_BAD_DB_ERROR: missing,
      ER_DBACCESS_DENIED_ERROR: denied,
      ER_TABLEACCESS_DENIED_ERROR: denied,
      ER_SPECIFIC_ACCESS_DENIED_ERROR: denied,
      ER_DISK_FULL: full,
      ER_RECORD_FILE_FULL: full,
      ER_SERVER_SHUTDOWN: stopped,
      PROTOCOL_CONNECTION_LOST: lost,
      ECONNRESET: lost,
    },
    error,
  );
}

function engineOf(client: Client, address: URL): Engine {
  /** The first numbers that rows were given, by table. */
  const begun = new Map<string, number>();
  const migrations = migrationConnection(client);
  const database = decodeURIComponent(address.pathname.slice(1));
  return {
    dialect: mariadb,
    migrations,
    constraintViolation,
    place: `${address.hostname}:${address.port || 3306}/${database}`,
    failure: (error) => mariadbFailure(address, error),
    count: async (query) => {
      const [row] = await client.query<{ count: number }>(
        `select count(*) as count from (${query}) as counted`,
      );
      return Number(row?.count);
    },
    sample: (query, rows) =>
      client.query(`select * from (${query}) as sampled order by id limit ${rows}`),
    catalogue: () => readCatalogue(client, database),
    catalogueOf: (schema) => catalogueOf(client, address, schema),
    hasTable: migrations.hasTable,
    isUntouched: async (table) => {
      const rows = await client.query<Record<string, string>>(`show create table ${quoted(table)}`);
      return !/ AUTO_INCREMENT=(?!1 )\d+/.test(Object.values(rows[0] ?? {}).join("\n"));
    },
    values: async (table, column) => {
      if (!(await migrations.columns(table)).includes(column)) return [];
      const rows = await client.query<{ value: Value }>(
        `select ${quoted(column)} as value from ${quoted(table)}`,
      );
      return rows.map(({ value }) => value);
    },
    filler: mariadbFiller(client, begun),
    noteSeeded: async (table, first, last) => {
      await client.query(
        "insert into levadura_seeded (entity_table, first_id, last_id) values (?, ?, ?)",
        [table, first, last],
      );
    },
    loads: async () =>
      (await migrations.hasTable("levadura_loads")) ? client.query(loadedTables) : [],
    noteLoad: async (entity, table, checksum, moment) => {
      await client.query(
        "insert into levadura_loads (entity, entity_table, checksum, loaded_at) values (?, ?, ?, ?)",
        [entity, table, checksum, written(moment)],
      );
    },
    loader: (settings) => mariadbLoader(client, settings),
    clear: async (copy) => {
      const of = async (type: string) => {
        const found = await client.query<{ name: string }>(
          "select table_name as name from information_schema.tables where table_schema = database() and table_type = ?",
          [type],
        );
        return found.map(({ name }) => ({ name, quoted: quoted(name) }));
      };
      const [tables, views] = [await of("BASE TABLE"), await of("VIEW")];
      await copyTables(migrations, tables, copy);
      await client.query("set foreign_key_checks = 0");
      for (const view of views) await client.query(`drop view if exists ${view.quoted}`);
      // The ledger is dropped first: a database that a run leaves half empty must not count as migrated.
      tables.sort((a, b) => Number(isLedger(b)) - Number(isLedger(a)));
      for (const table of tables) await client.query(`drop table if exists ${table.quoted}`);
      await client.query("set foreign_key_checks = 1");
    },
    transaction: async (work) => {
      await takeTurn(client);
      try {
        await client.query("begin");
        const result = await work();
        await client.query("commit");
        return result;
      } catch (error) {
        await client.query("rollback");
        await beginAgain(client, begun);
        throw error;
      } finally {
        // Where the connection is lost, the turn is over by itself.
        await endTurn(client).catch(() => undefined);
      }
    },
    close: () => client.end(),
  };
}

function isLedger({ name }: { name: string }): boolean {
  return name === "levadura_ledger";
}
