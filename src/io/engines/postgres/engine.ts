import pg, { type Client } from "pg";
import {
  clientSettings,
  migrationConnection,
  takeTurn,
} from "../../../../kit/database/postgres/connection.ts";
import { takesChanges as isPrimary } from "../../../../kit/database/postgres/replication.ts";
import { constraintViolation } from "../../../../kit/database/postgres/tables.ts";
import { Failure } from "../../../core/failure.ts";
import type { Value } from "../../../core/seeding/value.ts";
import { postgres } from "../../../core/sql/postgres/dialect.ts";
import { copyTables } from "../copying.ts";
import { type Engine, loadedTables } from "../engine.ts";
import { common, denied, full, missing, serverFailure, stopped } from "../server-failure.ts";
import { catalogueOf, readCatalogue } from "./catalogue.ts";
import { postgresFiller } from "./filling.ts";
import { postgresLoader } from "./loading.ts";

const { quoted } = postgres;

/** Opens a PostgreSQL database. */
export async function openPostgres(address: URL): Promise<Engine> {
  return engineOf(await connected(address), address);
}

/** Whether a server takes changes; it must answer. */
export async function takesChanges(address: URL): Promise<boolean> {
  const client = await connected(serverOf(address));
  return isPrimary(client).finally(() => client.end());
}

/** The address of the server itself, whose own database is always there. */
function serverOf(address: URL): URL {
  const server = new URL(address);
  server.pathname = "/postgres";
  return server;
}

/** Whether a database is there; the server must answer. */
export async function hasPostgres(address: URL): Promise<boolean> {
  try {
    await (await connected(address)).end();
    return true;
  } catch (error) {
    if (error instanceof Failure && error.details === "3D000") return false;
    throw error;
  }
}

/** Error codes when another process creates the database at the same moment. */
const crossed: ReadonlySet<string> = new Set(["42P04", "23505", "55006"]);

/** Creates a database, unless another process just did. */
export async function createPostgres(address: URL): Promise<void> {
  const client = await connected(serverOf(address));
  const name = decodeURIComponent(address.pathname.slice(1));
  try {
    for (let attempt = 1; ; attempt++) {
      try {
        await client.query(`create database ${quoted(name)}`);
        return;
      } catch (error) {
        const { code = "" } = error as { code?: string };
        if (!crossed.has(code) || attempt === 20) throw postgresFailure(address, error);
        await new Promise((resolve) => setTimeout(resolve, 100));
        if (await hasPostgres(address)) return;
      }
    }
  } finally {
    await client.end();
  }
}

async function connected(address: URL): Promise<Client> {
  const client = new pg.Client(clientSettings(address.href));
  try {
    await client.connect();
    return client;
  } catch (error) {
    await client.end().catch(() => undefined);
    throw postgresFailure(address, error);
  }
}

/** An error of the driver, as a failure. */
function postgresFailure(address: URL, error: unknown): Failure {
  return serverFailure(
    address,
    5432,
    {
      ...common,
      "28P01": ["it refuses the password", "correct DATABASE_URL"],
      "28000": ["it refuses the account", "correct DATABASE_URL"],
      "3D000": missing,
      "42501": denied,
      "53100": full,
      "55006": ["somebody else is using it", "wait, and run it again"],
      "57P01": stopped,
    },
    error,
  );
}

function engineOf(client: Client, address: URL): Engine {
  const migrations = migrationConnection(client);
  const one = async <Row>(text: string, values: readonly unknown[] = []): Promise<Row[]> =>
    (await client.query(text, [...values])).rows as Row[];
  return {
    dialect: postgres,
    migrations,
    constraintViolation,
    place: `${client.host}:${client.port}/${client.database}`,
    failure: (error) => postgresFailure(address, error),
    count: async (query) => {
      const [row] = await one<{ count: number }>(
        `select count(*) as count from (${query}) as counted`,
      );
      return Number(row?.count);
    },
    sample: (query, rows) => one(`select * from (${query}) as sampled order by id limit ${rows}`),
    catalogue: () => readCatalogue(client),
    catalogueOf: (schema) => catalogueOf(client, schema),
    hasTable: migrations.hasTable,
    isUntouched: async (table) => {
      const { rows } = await client.query("select pg_get_serial_sequence($1, 'id') as name", [
        quoted(table),
      ]);
      const sequence = String((rows[0] as { name?: string } | undefined)?.name);
      const [row] = await one<{ used: boolean }>(`select is_called as used from ${sequence}`);
      return row?.used !== true;
    },
    values: async (table, column) => {
      const { columns } = (await readCatalogue(client)).get(table) ?? {};
      if (!columns?.has(column)) return [];
      const rows = await one<{ value: Value }>(
        `select ${quoted(column)} as value from ${quoted(table)}`,
      );
      return rows.map(({ value }) => value);
    },
    filler: postgresFiller(client),
    noteSeeded: async (table, first, last) => {
      await client.query(
        "insert into levadura_seeded (entity_table, first_id, last_id) values ($1, $2, $3)",
        [table, first, last],
      );
    },
    loads: async () => ((await migrations.hasTable("levadura_loads")) ? one(loadedTables) : []),
    noteLoad: async (entity, table, checksum, moment) => {
      await client.query(
        "insert into levadura_loads (entity, entity_table, checksum, loaded_at) values ($1, $2, $3, $4)",
        [entity, table, checksum, moment],
      );
    },
    loader: (settings) => postgresLoader(client, settings),
    clear: async (copy) => {
      const tables = await one<{ name: string; quoted: string }>(
        "select relname as name, quote_ident(relname) as quoted from pg_class where relnamespace = current_schema()::regnamespace and relkind = 'r'",
      );
      const views = await one<{ quoted: string }>(
        "select quote_ident(relname) as quoted from pg_class where relnamespace = current_schema()::regnamespace and relkind = 'v'",
      );
      await client.query("begin");
      try {
        await copyTables(migrations, tables, copy);
        for (const view of views) await client.query(`drop view if exists ${view.quoted} cascade`);
        for (const table of tables) {
          await client.query(`drop table if exists ${table.quoted} cascade`);
        }
        await client.query("commit");
      } catch (error) {
        await client.query("rollback");
        throw error;
      }
    },
    transaction: async (work) => {
      await client.query("begin");
      try {
        await takeTurn(client);
        const result = await work();
        await client.query("commit");
        return result;
      } catch (error) {
        await client.query("rollback");
        throw error;
      }
    },
    close: () => client.end(),
  };
}
