import type { Client } from "../../../../kit/database/mariadb/client.ts";
import { written } from "../../../../kit/database/mariadb/timestamps.ts";
import { mariadb } from "../../../core/sql/mariadb/dialect.ts";
import type { LoadPlace } from "../load-place.ts";
import type { Loader, LoadSettings } from "../loading.ts";
import { stagedLoader } from "../staged-loading.ts";
import { highest } from "./filling.ts";

const { quoted } = mariadb;

/** Loads rows into the tables of a MariaDB database. */
export function mariadbLoader(client: Client, settings: LoadSettings): Loader {
  const run = async (statement: string) => {
    await client.query(statement);
  };
  const place: LoadPlace = {
    quoted,
    run,
    rows: (query) => client.query(query),
    columnTypes: async (table) => {
      const rows = await client.query<{ name: string; type: string; collation: string | null }>(
        "select column_name as name, column_type as type, collation_name as collation from information_schema.columns where table_schema = database() and table_name = ?",
        [table],
      );
      return new Map(
        rows.map(({ name, type, collation }) => [
          name,
          collation ? `${type} collate ${collation}` : type,
        ]),
      );
    },
    number: "bigint",
    // Indexes are declared with their table: added later, they would end the transaction.
    stage: (table, columns, indexed) => {
      const lines = columns.map(({ name, type }) => `${name} ${type}`);
      if (indexed) lines.push(indexed === "n" ? "primary key (n)" : `key (${indexed})`);
      return run(
        `create temporary table ${table} (${lines.join(", ")}) engine = InnoDB default character set utf8mb4`,
      );
    },
    aside: (table, query, indexed = []) => {
      const key = indexed.length > 0 ? ` (key (${indexed.join(", ")}))` : "";
      return run(`create temporary table ${table}${key} engine = InnoDB as ${query}`);
    },
    drop: (table) => run(`drop temporary table ${table}`),
    insert: async (table, columns, rows) => {
      const moments = columns.map(({ type }) => type.startsWith("datetime"));
      await client.query(
        `insert into ${table} (${columns.map(({ name }) => name).join(", ")}) values ?`,
        [rows.map((row) => row.map((value, at) => (moments[at] ? written(value) : value)))],
      );
    },
    updateFrom: (table, staged, sets, condition) =>
      run(
        `update ${quoted(table)} as t join ${staged} as i on i.id = t.id set ${sets.map(([column, value]) => `t.${column} = ${value}`).join(", ")} where ${condition}`,
      ),
    same: (one, other) => `(binary (${one}) <=> binary (${other}))`,
    caseless: (text) => text,
    hasKey: (alias, { key }, text) => `${alias}.${quoted(key)} = ${text}`,
    content: (expressions) => `md5(json_array(${expressions.join(", ")}))`,
    moment: (text) => `timestamp'${written(text)}'`,
    highest: (table) => highest(client, table),
    goOn: async () => undefined,
    insertMissing: ["insert ignore", ""],
  };
  return stagedLoader(place, settings);
}
