import type { Client } from "pg";
import type { Schema } from "../../../core/schema/schema.ts";
import { postgres } from "../../../core/sql/postgres/dialect.ts";
import type { Catalogue } from "../engine.ts";

const columnsQuery = `select c.relname as "table", a.attname as name, concat_ws(' ',
    format_type(a.atttypid, a.atttypmod), l.collname,
    case when a.attnotnull then 'not null' end,
    case when a.attidentity <> '' then 'identity' end,
    'default ' || pg_get_expr(d.adbin, d.adrelid)) as definition
  from pg_attribute a
  join pg_class c on c.oid = a.attrelid and c.relkind = 'r'
  left join pg_attrdef d on d.adrelid = a.attrelid and d.adnum = a.attnum
  left join pg_collation l on l.oid = a.attcollation and l.collname <> 'default'
  where c.relnamespace = current_schema()::regnamespace and a.attnum > 0 and not a.attisdropped
    and c.relname not like 'levadura\\_%'`;

const constraintsQuery = `select c.relname as "table", 'constraint ' || k.conname as name,
    pg_get_constraintdef(k.oid) as definition
  from pg_constraint k join pg_class c on c.oid = k.conrelid
  where k.connamespace = current_schema()::regnamespace and c.relname not like 'levadura\\_%'`;

const indexesQuery = `select t.relname as "table", i.relname as name,
    replace(pg_get_indexdef(x.indexrelid), quote_ident(current_schema()) || '.', '') as definition
  from pg_index x
  join pg_class i on i.oid = x.indexrelid
  join pg_class t on t.oid = x.indrelid
  where t.relnamespace = current_schema()::regnamespace and not x.indisprimary and t.relname not like 'levadura\\_%'`;

interface Entry {
  table: string;
  name: string;
  definition: string;
}

/** The tables of the current schema, but for those in which the tool remembers things. */
export async function readCatalogue(client: Client): Promise<Catalogue> {
  const catalogue: Catalogue = new Map();
  const read = async (query: string) => (await client.query(query)).rows as Entry[];
  for (const { table, name, definition } of [
    ...(await read(columnsQuery)),
    ...(await read(constraintsQuery)),
  ]) {
    const known = catalogue.get(table) ?? { columns: new Map(), indexes: new Map() };
    known.columns.set(name, definition);
    catalogue.set(table, known);
  }
  for (const { table, name, definition } of await read(indexesQuery)) {
    catalogue.get(table)?.indexes.set(name, definition);
  }
  return catalogue;
}

/** What the catalogue of a schema would be, found out by making its tables aside and taking that back. */
export async function catalogueOf(client: Client, schema: Schema): Promise<Catalogue> {
  await client.query("begin");
  try {
    const { rows } = await client.query("select current_setting('search_path') as path");
    // What extensions offer is found where it is found otherwise.
    await client.query(
      `create schema levadura_aside; set local search_path = levadura_aside, ${rows[0].path}`,
    );
    const steps = schema.tables.map((table) => ({ kind: "add table" as const, table }));
    for (const { parts } of postgres.sections(steps, { tables: [] })) {
      for (const part of parts) if (part.kind === "run") await client.query(part.sql);
    }
    return await readCatalogue(client);
  } finally {
    await client.query("rollback");
  }
}
