import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import type { Client } from "pg";
import { from as copyFrom } from "pg-copy-streams";
import { postgres } from "../../../core/sql/postgres/dialect.ts";
import { cellWriter, columnsOf, type Filler, inPieces, textOf } from "../filling.ts";

const { quoted } = postgres;
const cell = cellWriter(["f", "t"]);

/** The sequence that numbers the rows of a table, as an expression. */
function sequence(table: string): string {
  return `pg_get_serial_sequence('${quoted(table).replaceAll("'", "''")}', 'id')`;
}

/** The highest number that a row of a table ever had. Nobody else takes numbers until the transaction ends. */
export async function highest(client: Client, table: string): Promise<number> {
  await client.query(`lock table ${quoted(table)} in share row exclusive mode`);
  const { rows } = await client.query(`select ${sequence(table)} as name`);
  const [used] = (
    await client.query(
      `select case when is_called then last_value else 0 end as number from ${(rows[0] as { name: string }).name}`,
    )
  ).rows as { number: number }[];
  return Number(used?.number ?? 0);
}

/** Makes a table continue after the numbers that were inserted into it. */
export async function goOn(client: Client, table: string): Promise<void> {
  const statement = postgres.numbersGoOn?.(table);
  if (statement) await client.query(statement);
}

/** COPY knows no security of rows: the owner of a table is exempt from it meanwhile, in this transaction. */
async function withoutRowSecurity(
  client: Client,
  table: string,
  work: () => Promise<void>,
): Promise<void> {
  const { rows } = await client.query(
    "select relforcerowsecurity as forced from pg_class where oid = $1::regclass",
    [quoted(table)],
  );
  const force = (how: string) =>
    client.query(`alter table ${quoted(table)} ${how} row level security`);
  const isForced = (rows[0] as { forced: boolean } | undefined)?.forced === true;
  if (isForced) await force("no force");
  await work();
  if (isForced) await force("force");
}

/** Puts rows into the tables of a PostgreSQL database, by COPY. */
export function postgresFiller(client: Client): Filler {
  return {
    highest: (table) => highest(client, table),
    fill: async (target, rows) => {
      const names = columnsOf(target).map(quoted).join(", ");
      await withoutRowSecurity(client, target.table, async () => {
        const into = client.query(copyFrom(`copy ${quoted(target.table)} (${names}) from stdin`));
        await pipeline(Readable.from(textOf(target, rows, cell)), into);
      });
    },
    goOn: (table) => goOn(client, table),
    set: async (table, column, values) => {
      const [name, of] = [quoted(column), quoted(table)];
      const [{ type = "text" } = {}] = (
        await client.query(
          "select format_type(atttypid, atttypmod) as type from pg_attribute where attrelid = $1::regclass and attname = $2",
          [of, column],
        )
      ).rows as { type: string }[];
      for (const piece of inPieces(values, 1000)) {
        await client.query(
          `update ${of} as t set ${name} = v.value from unnest($1::bigint[], $2::${type}[]) as v (id, value) where t.id = v.id`,
          [piece.map(([id]) => id), piece.map(([, value]) => value)],
        );
      }
    },
  };
}
