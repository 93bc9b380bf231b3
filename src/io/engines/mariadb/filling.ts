import { Readable } from "node:stream";
import type { Client } from "../../../../kit/database/mariadb/client.ts";
import { written } from "../../../../kit/database/mariadb/timestamps.ts";
import type { Value } from "../../../core/seeding/value.ts";
import { mariadb } from "../../../core/sql/mariadb/dialect.ts";
import {
  cellWriter,
  columnsOf,
  type Filler,
  type FillTarget,
  inPieces,
  textOf,
  valuesOf,
} from "../filling.ts";

const { quoted } = mariadb;
const plain = cellWriter(["0", "1"]);
const cell = (value: Value) => plain(written(value) as Value);

/** The highest number that a row of a table ever had. */
export async function highest(client: Client, table: string): Promise<number> {
  const [row] = await client.query<{ next: number | null }>(
    "select auto_increment as next from information_schema.tables where table_schema = database() and table_name = ?",
    [table],
  );
  return Math.max(0, Number(row?.next ?? 1) - 1);
}

/**
 * Puts rows into the tables of a MariaDB database: as a file that is sent, or as statements where it takes none.
 * `begun` are the first numbers that it gave, by table.
 */
export function mariadbFiller(client: Client, begun: Map<string, number>): Filler {
  return {
    highest: (table) => highest(client, table),
    fill: async (target, rows) => {
      const { table, first } = target;
      if (first !== undefined && !begun.has(table)) begun.set(table, first);
      const [{ allowed = 0 } = {}] = await client.query<{ allowed: number | boolean }>(
        "select @@global.local_infile as allowed",
      );
      if (Number(allowed) === 1) await sendFile(client, target, rows);
      else await insertRows(client, target, rows);
    },
    // The database does this by itself.
    goOn: async () => undefined,
    set: async (table, column, values) => {
      for (const piece of inPieces(values, 500)) {
        const [first, ...rest] = piece;
        if (!first) continue;
        const lines = ["select ? as id, ? as value", ...rest.map(() => "select ?, ?")];
        await client.query(
          `update ${quoted(table)} as t join (${lines.join(" union all ")}) as v on v.id = t.id set t.${quoted(column)} = v.value`,
          piece.flatMap(([id, value]) => [id, written(value)]),
        );
      }
    },
  };
}

/**
 * Lets tables that are empty again begin with number 1 again: what is reverted leaves their numbers where they
 * were. One that somebody else is at stays as it is.
 */
export async function beginAgain(
  client: Client,
  begun: ReadonlyMap<string, number>,
): Promise<void> {
  for (const [table, first] of begun) {
    const some = await client.query(`select 1 from ${quoted(table)} limit 1`);
    if (first !== 1 || some.length > 0) continue;
    await client
      .query(`alter table ${quoted(table)} nowait auto_increment = 1`)
      .catch(() => undefined);
  }
}

/** Sends rows as a file. The server passes over rows that it can't take, so they are counted. */
async function sendFile(
  client: Client,
  target: FillTarget,
  rows: Iterable<Readonly<Record<string, Value>>>,
): Promise<void> {
  let sent = 0;
  const counted = function* () {
    for (const row of rows) {
      sent++;
      yield row;
    }
  };
  const names = columnsOf(target).map(quoted).join(", ");
  const result = await new Promise<{ affectedRows: number }>((resolve, reject) => {
    const file = Readable.from(textOf(target, counted(), cell), { objectMode: false });
    client.connection.query(
      {
        sql: `load data local infile 'rows' into table ${quoted(target.table)} character set utf8mb4 (${names})`,
        infileStreamFactory: () => file,
      },
      (error, done) =>
        error ? reject(error) : resolve(done as unknown as { affectedRows: number }),
    );
    // Errors while rows are made are passed on unchanged.
    file.on("error", reject);
  });
  const [warning] = await client.query<{ Message: string }>("show warnings limit 1");
  if (warning || result.affectedRows !== sent) {
    throw new Error(warning?.Message ?? `${result.affectedRows} of ${sent} rows were taken`);
  }
}

async function insertRows(
  client: Client,
  target: FillTarget,
  rows: Iterable<Readonly<Record<string, Value>>>,
): Promise<void> {
  const names = columnsOf(target).map(quoted).join(", ");
  for (const piece of inPieces(valuesOf(target, rows), 500)) {
    await client.query(`insert into ${quoted(target.table)} (${names}) values ?`, [
      piece.map((row) => row.map(written)),
    ]);
  }
}
