import pg from "pg";
import { onTestFinished } from "vitest";
import type { Engine } from "../../src/io/engines/engine.ts";
import { openPostgres } from "../../src/io/engines/postgres/engine.ts";

/** Where the server for tests is; LEVADURA_TEST_POSTGRES names another. */
const address = process.env.LEVADURA_TEST_POSTGRES ?? "postgres://postgres@127.0.0.1:5432";

/** Whether the server answers. Under NO_SKIPS one that doesn't is an error. */
export async function hasPostgres(): Promise<boolean> {
  try {
    await administrator("select 1");
    return true;
  } catch (error) {
    if (process.env.NO_SKIPS) throw error;
    console.warn(`skipped, because ${address} doesn't answer: ${(error as Error).message}`);
    return false;
  }
}

/** Runs statements as somebody who may make databases. */
export async function administrator(...statements: string[]): Promise<void> {
  const client = new pg.Client({ connectionString: `${address}/postgres` });
  await client.connect();
  try {
    for (const statement of statements) await client.query(statement);
  } finally {
    await client.end();
  }
}

export interface TestDatabase {
  name: string;
  url: string;
}

let count = 0;

/** The address of a database that isn't there yet, and goes with the test. */
export async function databaseOfOnesOwn(): Promise<TestDatabase> {
  const name = `levadura_test_${process.pid}_${++count}`;
  onTestFinished(() => administrator(`drop database if exists ${name} with (force)`));
  return { name, url: `${address}/${name}` };
}

/** The rows of a statement, read on their own. */
export async function rowsIn(
  { url }: TestDatabase,
  statement: string,
): Promise<Record<string, unknown>[]> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    return (await client.query(statement)).rows;
  } finally {
    await client.end();
  }
}

/** An engine on an empty database of its own. */
export async function emptyPostgres(): Promise<Engine> {
  const { name, url } = await databaseOfOnesOwn();
  await administrator(`create database ${name}`);
  const engine = await openPostgres(new URL(url));
  onTestFinished(() => engine.close());
  return engine;
}
