import type { Client } from "pg";
import { postgres } from "../../../core/sql/postgres/dialect.ts";
import type { LoadPlace } from "../load-place.ts";
import type { Loader, LoadSettings } from "../loading.ts";
import { stagedLoader } from "../staged-loading.ts";
import { goOn, highest } from "./filling.ts";

const { quoted } = postgres;

const typesQuery = `select a.attname as name, format_type(a.atttypid, a.atttypmod) as type, l.collname as collation
  from pg_attribute a left join pg_collation l on l.oid = a.attcollation and l.collname <> 'default'
  where a.attrelid = $1::regclass and a.attnum > 0 and not a.attisdropped`;

/** Loads rows into the tables of a PostgreSQL database. */
export function postgresLoader(client: Client, settings: LoadSettings): Loader {
  const run = async (statement: string) => {
    await client.query(statement);
  };
  const place: LoadPlace = {
    quoted,
    run,
    rows: async (query) => (await client.query(query)).rows as never,
    columnTypes: async (table) => {
      const { rows } = await client.query(typesQuery, [quoted(table)]);
      return new Map(
        (rows as { name: string; type: string; collation: string | null }[]).map(
          ({ name, type, collation }) => [
            name,
            collation ? `${type} collate ${quoted(collation)}` : type,
          ],
        ),
      );
    },
    number: "bigint",
    stage: async (table, columns, indexed) => {
      const lines = columns.map(
        ({ name, type }) => `${name} ${type}${name === "n" ? " primary key" : ""}`,
      );
      await run(`create temp table ${table} (${lines.join(", ")})`);
      if (indexed && indexed !== "n") await run(`create index on ${table} (${indexed})`);
    },
    aside: async (table, query, indexed = []) => {
      await run(`create temp table ${table} as ${query}`);
      if (indexed.length > 0) await run(`create index on ${table} (${indexed.join(", ")})`);
      await run(`analyze ${table}`);
    },
    drop: (table) => run(`drop table ${table}`),
    insert: async (table, columns, rows) => {
      const arrays = columns.map(
        ({ type }, at) => `$${at + 1}::${type.replace(/ collate .*/, "")}[]`,
      );
      await client.query(
        `insert into ${table} (${columns.map(({ name }) => name).join(", ")}) select * from unnest(${arrays.join(", ")})`,
        columns.map((_, at) => rows.map((row) => row[at])),
      );
    },
    updateFrom: (table, staged, sets, condition) =>
      run(
        `update ${quoted(table)} as t set ${sets.map(([column, value]) => `${column} = ${value}`).join(", ")} from ${staged} as i where i.id = t.id and ${condition}`,
      ),
    same: (one, other) =>
      `((${one})::text collate "C" is not distinct from (${other})::text collate "C")`,
    caseless: (text) => text,
    hasKey: (alias, { key }, text) => `${alias}.${quoted(key)} = ${text}`,
    content: (expressions) => `md5(jsonb_build_array(${expressions.join(", ")})::text)`,
    moment: (text) => `timestamptz '${text}'`,
    highest: (table) => highest(client, table),
    goOn: (table) => goOn(client, table),
    insertMissing: ["insert", " on conflict do nothing"],
  };
  return stagedLoader(place, settings);
}
