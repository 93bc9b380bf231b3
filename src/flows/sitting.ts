import { checksum } from "../../kit/database/migrations.ts";
import type { Engine } from "../io/engines/engine.ts";
import type { MigrationFolder } from "../io/project/migrations.ts";

/**
 * Adds statements to a migration that this sitting has applied already: runs them, and gives the
 * ledger the checksum of the whole, in one transaction. `write` puts the whole into its files last,
 * so that files and ledger change together or not at all.
 */
export async function extendApplied(
  engine: Engine,
  whole: MigrationFolder,
  added: string,
  write: () => void,
): Promise<void> {
  await engine.transaction(async () => {
    await engine.migrations.run(added);
    await engine.migrations.rows(
      "update levadura_ledger set checksum = ? where name = ? returning name",
      [checksum(whole.sql), whole.name],
    );
    write();
  });
}
