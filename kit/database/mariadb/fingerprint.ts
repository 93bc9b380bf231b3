import { createHash } from "node:crypto";
import type { Client } from "./client.ts";

const tables =
  "select table_name as name from information_schema.tables where table_schema = database() and table_type = 'BASE TABLE' and table_name <> 'levadura_journal' order by 1";

const others = `select concat('view ', table_name, ' ', view_definition) as text from information_schema.views where table_schema = database()
  union all select concat('trigger ', trigger_name, ' ', event_object_table, ' ', action_statement) from information_schema.triggers where trigger_schema = database()
  union all select concat('routine ', routine_name, ' ', routine_definition) from information_schema.routines where routine_schema = database()
  order by 1`;

/** A checksum of the catalogue: everything that is defined in the database. */
export async function fingerprintOf(client: Client): Promise<string> {
  const hash = createHash("sha256");
  for (const { name } of await client.query<{ name: string }>(tables)) {
    const [row] = await client.query<Record<string, string>>(
      `show create table \`${name.replaceAll("`", "``")}\``,
    );
    // Except the next record number of a table, which changes with its rows.
    hash.update(
      Object.values(row ?? {})
        .join("\n")
        .replace(/ AUTO_INCREMENT=\d+/, ""),
    );
  }
  for (const { text } of await client.query<{ text: string }>(others)) hash.update(String(text));
  return hash.digest("hex");
}
