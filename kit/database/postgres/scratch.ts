import { randomUUID } from "node:crypto";
import pg from "pg";
import { databaseAddress, readEnvironment } from "../location.ts";
import { addressesOf } from "../servers/addresses.ts";
import { clientSettings } from "./connection.ts";

/** An empty database for tests, on the server of DATABASE_URL, whose own database stays as it is. */
export async function makeScratch(_folder: string) {
  readEnvironment();
  const [address = ""] = addressesOf(databaseAddress());
  const server = new URL(address);
  const scratch = new URL(server);
  const name = `test_${randomUUID().replaceAll("-", "")}`;
  scratch.pathname = `/${name}`;
  server.pathname = "/postgres";
  const run = async (statement: string) => {
    const client = new pg.Client(clientSettings(server.href));
    await client.connect();
    await client.query(statement).finally(() => client.end());
  };
  await run(`create database ${name}`);
  return { address: scratch.href, remove: () => run(`drop database ${name} with (force)`) };
}
