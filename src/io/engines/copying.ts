import { join } from "node:path";
import type { MigrationConnection } from "../../../kit/migrations/migrations.ts";
import { writeKept } from "../../../kit/migrations/row-archive.ts";

/** Writes all rows of some tables into a folder, a compressed file for each. */
export async function copyTables(
  connection: MigrationConnection,
  tables: readonly { name: string; quoted: string }[],
  folder: string,
): Promise<void> {
  for (const { name, quoted } of tables) {
    const { columns, rows } = await connection.stream(`select * from ${quoted}`);
    await writeKept(join(folder, `${name}.jsonl.gz`), { table: quoted, columns, top: null }, rows);
  }
}
