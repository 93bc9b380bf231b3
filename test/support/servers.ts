import pg from "pg";
import type { Engine } from "../../src/io/engines/engine.ts";
import { openPostgres } from "../../src/io/engines/postgres/engine.ts";

/** Where the server for tests is; LEVADURA_TEST_POSTGRES names another. */
const address = process.env.LEVADURA_TEST_POSTGRES ?? "postgres://postgres@127.0.0.1:5432";

/** Whether the server answers. Under NO_SKIPS one that doesn't is an error. */
export async function hasPostgres(): Promise<boolean> {
  try {
    await asAdministrator("select 1");
    return true;
  } catch (error) {
    if (process.env.NO_SKIPS) throw error;
    console.warn(`skipped, because ${address} doesn't answer: ${(error as Error).message}`);
    return false;
  }
}

async function asAdministrator(...statements: string[]): Promise<void> {
  const client = new pg.Client({ connectionString: `${address}/postgres` });
  await client.connect();
  try {
    for (const statement of statements) await client.query(statement);
  } finally {
    await client.end();
  }
}

/** Works on an empty database of its own, which is gone afterwards. */
export async function withPostgres(work: (engine: Engine) => Promise<void>): Promise<void> {
  const name = `levadura_test_${process.pid}_${Date.now()}`;
  await asAdministrator(`create database ${name}`);
  try {
    const engine = await openPostgres(`${address}/${name}`);
    try {
      await work(engine);
    } finally {
      await engine.close();
    }
  } finally {
    await asAdministrator(`drop database ${name} with (force)`);
  }
}
