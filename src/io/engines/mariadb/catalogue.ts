import type { Client } from "../../../../kit/database/mariadb/client.ts";
import { connect } from "../../../../kit/database/mariadb/connection.ts";
import type { Schema } from "../../../core/schema/schema.ts";
import { mariadb } from "../../../core/sql/mariadb/dialect.ts";
import type { Catalogue } from "../engine.ts";

const columnsQuery = `select c.table_name as owner, c.column_name as name, concat_ws(' ', c.column_type, c.collation_name,
    if(c.is_nullable = 'NO', 'not null', null), concat('default ', c.column_default), nullif(c.extra, ''), concat('check ', k.check_clause)) as definition
  from information_schema.columns c
  join information_schema.tables t on t.table_schema = c.table_schema and t.table_name = c.table_name and t.table_type = 'BASE TABLE'
  left join information_schema.check_constraints k on k.constraint_schema = c.table_schema and k.table_name = c.table_name
    and k.constraint_name = c.column_name and k.level = 'Column'
  where c.table_schema = ? and c.table_name not like 'levadura\\\\_%'`;

const referencesQuery = `select k.table_name as owner, concat('constraint ', k.constraint_name) as name,
    concat(k.column_name, ' references ', k.referenced_table_name, ' ', k.referenced_column_name, ' ', r.delete_rule) as definition
  from information_schema.key_column_usage k
  join information_schema.referential_constraints r on r.constraint_schema = k.constraint_schema and r.constraint_name = k.constraint_name and r.table_name = k.table_name
  where k.table_schema = ? and k.referenced_table_name is not null and k.table_name not like 'levadura\\\\_%'`;

const checksQuery = `select table_name as owner, concat('constraint ', constraint_name) as name, check_clause as definition
  from information_schema.check_constraints
  where constraint_schema = ? and level = 'Table' and table_name not like 'levadura\\\\_%'`;

const indexesQuery = `select table_name as owner, index_name as name,
    concat(if(non_unique, 'index', 'unique index'), ' (', group_concat(concat(column_name, ifnull(concat(' ', sub_part), '')) order by seq_in_index separator ', '), ') ', index_type) as definition
  from information_schema.statistics
  where table_schema = ? and table_name not like 'levadura\\\\_%' group by table_name, index_name, non_unique, index_type`;

interface Entry {
  owner: string;
  name: string;
  definition: string;
}

/** The tables of a database, but for those in which the tool remembers things. */
export async function readCatalogue(client: Client, database: string): Promise<Catalogue> {
  const catalogue: Catalogue = new Map();
  const read = (query: string) => client.query<Entry>(query, [database]);
  for (const query of [columnsQuery, referencesQuery, checksQuery]) {
    for (const { owner, name, definition } of await read(query)) {
      const known = catalogue.get(owner) ?? { columns: new Map(), indexes: new Map() };
      known.columns.set(name, definition);
      catalogue.set(owner, known);
    }
  }
  for (const { owner, name, definition } of await read(indexesQuery)) {
    catalogue.get(owner)?.indexes.set(name, definition);
  }
  return catalogue;
}

/**
 * What the catalogue of a schema would be, found out by making its tables in a database aside; undefined where
 * the account may not make one.
 */
export async function catalogueOf(
  client: Client,
  address: URL,
  schema: Schema,
): Promise<Catalogue | undefined> {
  const name = `levadura_aside_${process.pid}_${Date.now()}`;
  try {
    await client.query(`create database ${name}`);
  } catch (error) {
    if ((error as { code?: string }).code === "ER_DBACCESS_DENIED_ERROR") return undefined;
    throw error;
  }
  try {
    const place = new URL(address);
    place.pathname = `/${name}`;
    const aside = await connect(place.href);
    try {
      const steps = schema.tables.map((table) => ({ kind: "add table" as const, table }));
      for (const { parts } of mariadb.sections(steps, { tables: [] })) {
        for (const part of parts) if (part.kind === "run") await aside.query(part.sql);
      }
      return await readCatalogue(aside, name);
    } finally {
      await aside.end();
    }
  } finally {
    await client.query(`drop database ${name}`);
  }
}
