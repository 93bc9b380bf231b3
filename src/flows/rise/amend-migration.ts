import { checksum } from "../../../kit/migrations/migrations.ts";
import { runScript } from "../../../kit/migrations/script-runner.ts";
import type { Dialect } from "../../core/sql/dialect.ts";
import type { Engine } from "../../io/engines/engine.ts";
import {
  dropStaged,
  type MigrationFolder,
  promoteStaged,
  stagedMigration,
  stageMigration,
} from "../../io/project/migrations.ts";
import type { Project } from "../../io/project/project.ts";

/**
 * Adds statements to a migration that this session has applied already. The whole is laid ready beside
 * its folder; then the statements run and the ledger gets the new checksum, in one transaction; then the
 * whole takes its place. A process that dies between is settled by `settleAmendment`. The statements
 * throw nothing away.
 */
export async function extendApplied(
  project: Project,
  dialect: Dialect,
  { migrations }: Engine,
  whole: MigrationFolder,
  added: string,
): Promise<void> {
  stageMigration(project, dialect, whole);
  await migrations.begin();
  try {
    await runScript(migrations, added, { name: whole.name, keptFolder: project.kept });
    await migrations.rows("update levadura_ledger set checksum = ? where name = ?", [
      checksum(whole.forward),
      whole.name,
    ]);
    await migrations.commit();
  } catch (error) {
    await migrations.rollback();
    dropStaged(project);
    throw error;
  }
  promoteStaged(project, whole.name);
}

/** Finishes or reverts what a session that died has begun: the ledger says which. */
export async function settleAmendment(project: Project, engine: Engine): Promise<void> {
  const staged = stagedMigration(project, engine.dialect);
  if (!staged) {
    dropStaged(project);
    return;
  }
  const [line] = (await engine.hasTable("levadura_ledger"))
    ? await engine.migrations.rows<{ checksum: string }>(
        "select checksum from levadura_ledger where name = ?",
        [staged.name],
      )
    : [];
  if (line?.checksum === checksum(staged.forward)) promoteStaged(project, staged.name);
  else dropStaged(project);
}
