import { isPending, migrationStatuses } from "../../../kit/migrations/migrations.ts";
import { inNumber } from "../../../kit/migrations/script-runner.ts";
import { inverseOf } from "../../core/evolution/inverse.ts";
import { describeStep, replay, type Step } from "../../core/evolution/steps.ts";
import { impactOf } from "../../core/sql/impact.ts";
import type { Engine } from "../../io/engines/engine.ts";
import type { MigrationFolder } from "../../io/project/migrations.ts";
import { countOwners, type RowOwner } from "../rows/row-ownership.ts";

/** Rows or values that taking a migration back deletes; they are kept in files. */
export interface Loss {
  migration: string;
  /** What the step does that deletes them. */
  step: string;
  /** How many, in words: `12 rows of hive go`. */
  sentence: string;
  count: number;
  /** Whose rows these are, where whole rows are deleted. */
  owners?: Record<RowOwner, number>;
}

/** What taking some migrations back deletes, newest first. */
export async function lossesOf(
  engine: Engine,
  migrations: readonly MigrationFolder[],
  going: readonly MigrationFolder[],
): Promise<Loss[]> {
  const statuses = await migrationStatuses(engine.migrations, migrations);
  const isApplied = (name: string) =>
    statuses.some((status) => status.name === name && status.line && !isPending(status));
  const applied = migrations.filter(({ name }) => isApplied(name));
  const before = replay(applied.flatMap(({ steps }) => steps));
  const undone = going.map((migration) => ({ migration, steps: inverseOf(migration.steps) }));
  const all = undone.flatMap(({ steps }) => steps);
  const losses: Loss[] = [];
  for (const { migration, steps } of undone) {
    for (const step of steps) {
      const impact = impactOf(
        { table: tableOfStep(step), steps: [step] },
        all,
        before,
        engine.dialect,
      );
      for (const { kind, sentence, query } of impact.risks) {
        const count = kind === "lost" && query !== undefined ? await engine.count(query) : 0;
        if (count === 0) continue;
        const isEntity = step.kind === "drop table" && step.table.key.length === 1;
        losses.push({
          migration: migration.name,
          step: describeStep(step),
          sentence: inNumber(count, sentence),
          count,
          ...(isEntity && impact.table && { owners: await countOwners(engine, impact.table) }),
        });
      }
    }
  }
  return losses;
}

function tableOfStep(step: Step): string {
  if (step.kind === "move column") return step.to.table;
  if (step.kind === "own sql") return "";
  return typeof step.table === "string" ? step.table : step.table.name;
}
