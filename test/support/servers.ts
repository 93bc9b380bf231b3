import { createConnection } from "mysql2/promise";
import pg from "pg";
import { onTestFinished } from "vitest";
import type { Engine } from "../../src/io/engines/engine.ts";
import { openMariadb } from "../../src/io/engines/mariadb/engine.ts";
import { openPostgres } from "../../src/io/engines/postgres/engine.ts";

/** A database server that tests work with. */
export interface TestServer {
  kind: "postgres" | "mariadb";
  /** Where it is: a variable of the environment may name another. */
  address: string;
  /** The rows of a statement, read on their own. */
  rowsIn(url: string, statement: string): Promise<Record<string, unknown>[]>;
  open(url: URL): Promise<Engine>;
  /** Takes everything out of a database. */
  clear(engine: Engine): Promise<void>;
  drop: string;
}

/** What the server's texts mean, in values as SQLite has them. */
const plain: Record<number, (text: string) => unknown> = {
  16: (text) => (text === "t" ? 1 : 0),
  20: Number,
  23: Number,
  1700: Number,
};

export const postgres: TestServer = {
  kind: "postgres",
  address: process.env.LEVADURA_TEST_POSTGRES ?? "postgres://postgres@127.0.0.1:5432",
  rowsIn: async (url, statement) => {
    const client = new pg.Client({
      connectionString: url,
      types: { getTypeParser: (type: number) => plain[type] ?? String } as never,
    });
    await client.connect();
    return (await client.query(statement).finally(() => client.end())).rows;
  },
  open: openPostgres,
  clear: ({ migrations }) => migrations.run("drop schema public cascade; create schema public"),
  drop: "with (force)",
};

export const mariadb: TestServer = {
  kind: "mariadb",
  address: process.env.LEVADURA_TEST_MARIADB ?? "mariadb://root@127.0.0.1:3306",
  rowsIn: async (url, statement) => {
    const { hostname, port, username, password, pathname } = new URL(url);
    const client = await createConnection({
      host: hostname,
      port: Number(port),
      user: username,
      password,
      database: pathname.slice(1),
      dateStrings: true,
      decimalNumbers: true,
    });
    await client.query("set sql_mode = concat(@@sql_mode, ',ANSI_QUOTES')");
    const [rows] = await client.query(statement).finally(() => client.end());
    return rows as Record<string, unknown>[];
  },
  open: openMariadb,
  clear: async ({ migrations }) => {
    const [row] = await migrations.rows<{ name: string }>("select database() as name");
    await migrations.run(
      `drop database ${row?.name}; create database ${row?.name}; use ${row?.name}`,
    );
  },
  drop: "",
};

/** Whether a server answers. Under NO_SKIPS one that doesn't is an error. */
export async function answers(server: TestServer): Promise<boolean> {
  try {
    await administrator(server, "select 1");
    return true;
  } catch (error) {
    if (process.env.NO_SKIPS) throw error;
    console.warn(`skipped, because ${server.address} doesn't answer: ${(error as Error).message}`);
    return false;
  }
}

/** Runs a statement as somebody who may make databases. */
export async function administrator(server: TestServer, statement: string): Promise<void> {
  const place = server.kind === "postgres" ? "/postgres" : "/";
  await server.rowsIn(`${server.address}${place}`, statement);
}

let count = 0;

/** The address of a database of one's own, for an account that may do nothing beside; there it may only look around at most. */
export async function narrowAccount(
  server: TestServer,
  may: "look" | "all",
): Promise<{ url: string }> {
  const { name, url } = databaseOfOnesOwn(server);
  const account = `levadura_account_${process.pid}_${count}`;
  const [who, made, all] =
    server.kind === "postgres"
      ? [account, "login", `grant all on database ${name} to ${account}`]
      : [
          `${account}@'127.0.0.1'`,
          "identified by 'pw'",
          `grant all on ${name}.* to ${account}@'127.0.0.1'`,
        ];
  await administrator(server, `create database ${name}`);
  await administrator(
    server,
    `create ${server.kind === "postgres" ? "role" : "user"} ${who} ${made}`,
  );
  onTestFinished(() =>
    administrator(server, `drop ${server.kind === "postgres" ? "role" : "user"} ${who}`),
  );
  if (may === "all") {
    await administrator(server, all);
    if (server.kind === "postgres")
      await server.rowsIn(url, `grant all on schema public to ${account}`);
  } else if (server.kind === "mariadb") {
    await administrator(server, `grant select on ${name}.* to ${who}`);
  }
  if (server.kind === "postgres") {
    onTestFinished(async () => {
      await server.rowsIn(url, `drop owned by ${account}`).catch(() => undefined);
    });
  }
  const address = new URL(url);
  address.username = account;
  address.password = server.kind === "postgres" ? "" : "pw";
  return { url: address.href };
}

/** The address of a database that isn't there yet, and goes with the test. */
export function databaseOfOnesOwn(server: TestServer): { name: string; url: string } {
  const name = `levadura_test_${process.pid}_${++count}`;
  onTestFinished(() => administrator(server, `drop database if exists ${name} ${server.drop}`));
  return { name, url: `${server.address}/${name}` };
}

/** An engine on an empty database of its own. */
export async function emptyDatabase(server: TestServer): Promise<Engine> {
  const { name, url } = databaseOfOnesOwn(server);
  await administrator(server, `create database ${name}`);
  const engine = await server.open(new URL(url));
  onTestFinished(() => engine.close());
  return engine;
}
