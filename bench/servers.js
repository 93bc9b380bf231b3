// A project in a database of its own on each server.
import { execFileSync } from "node:child_process";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { bin, inFolder } from "./measure.js";

export const servers = [
  {
    kind: "postgres",
    name: "PostgreSQL",
    address: process.env.LEVADURA_TEST_POSTGRES ?? "postgres://postgres@127.0.0.1:5432/postgres",
    open: openPostgres,
  },
  {
    kind: "mariadb",
    name: "MariaDB",
    address: process.env.LEVADURA_TEST_MARIADB ?? "mariadb://root@127.0.0.1:3306/test",
    open: openMariadb,
  },
];

/** Runs a task on a project whose tables were just made on a server. The database is dropped afterwards. */
export function onServer({ kind, address, open }, model, work) {
  return inFolder(async (folder) => {
    const { href: url } = Object.assign(new URL(address), { pathname: "/levadura_bench" });
    const admin = await open(address);
    await admin.query("drop database if exists levadura_bench");
    await admin.query(
      `create database levadura_bench${kind === "mariadb" ? " character set utf8mb4" : ""}`,
    );
    writeFileSync(join(folder, "model.yaml"), model);
    writeFileSync(join(folder, ".env"), `DATABASE_URL=${url}\n`);
    const levadura = (...args) =>
      execFileSync(process.execPath, [bin, ...args], {
        cwd: folder,
        stdio: ["ignore", "ignore", "pipe"],
        env: { ...process.env, DATABASE_URL: url },
      });
    levadura("prepare");
    levadura("migrate");
    const client = await open(url);
    try {
      return await work({ folder, url, client, levadura });
    } finally {
      await client.end();
      await admin.query("drop database levadura_bench");
      await admin.end();
    }
  });
}

/** Fills the tables of the model of pages.js with as many harvests of 100 apiaries, as `fill` there does. */
export async function fillOnServer({ kind }, client, rows) {
  const stamps = "'2026-01-01 00:00:00', '2026-01-01 00:00:00'";
  const postgres = kind === "postgres";
  const numbers = (most) =>
    postgres
      ? `generate_series(1, ${most}) as n(i)`
      : `(select seq as i from seq_1_to_${most}) as n`;
  const code = postgres ? "'H-' || i" : "concat('H-', i)";
  const date = postgres
    ? "date '2020-01-01' + (i * 7919::bigint % 2200)::int"
    : "date_add('2020-01-01', interval (i * 7919 % 2200) day)";
  await client.query(`insert into apiary (name, created_at, updated_at)
    select ${code.replace("H-", "Apiary ")}, ${stamps} from ${numbers(100)}`);
  await client.query(`insert into harvest (code, apiary_id, date, weight, sort, created_at, updated_at)
    select ${code}, 1 + i % 100, ${date}, (i * 31 % 2000) / 10.0,
      case i % 3 when 0 then 'blossom' when 1 then 'forest' else 'heather' end, ${stamps} from ${numbers(rows)}`);
  await client.query(postgres ? "vacuum analyze" : "analyze table apiary, harvest");
}

async function openPostgres(address) {
  const { default: pg } = await import("pg");
  const { types, builtins } = pg.types ? { types: pg.types, builtins: pg.types.builtins } : {};
  for (const type of [builtins.DATE, builtins.TIMESTAMPTZ, builtins.NUMERIC]) {
    types.setTypeParser(type, String);
  }
  const client = new pg.Client(address);
  await client.connect();
  return { query: async (text) => (await client.query(text)).rows, end: () => client.end() };
}

async function openMariadb(address) {
  const { createConnection } = await import("mysql2/promise");
  const client = await createConnection({
    uri: address.replace("mariadb:", "mysql:"),
    dateStrings: true,
    typeCast: (field, next) =>
      field.type === "TINY" && field.length === 1 ? field.string() === "1" : next(),
  });
  return { query: async (text) => (await client.query(text))[0], end: () => client.end() };
}
