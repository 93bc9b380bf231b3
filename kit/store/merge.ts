import { sql } from "kysely";
import { requireOn } from "../access/row-rights.ts";
import { Forbidden, type Scope } from "../access/scope.ts";
import type { Trouble } from "../database/contract.ts";
import { constraintViolation, troubleOf } from "../database/current-dialect.ts";
import { type Entity, isReference, type Row } from "../entity/entity.ts";
import type { Referrer } from "../entity/registry.ts";
import type { Typed } from "../entity/typed.ts";
import { isFiles } from "../fields/files.tsx";
import { filesIn } from "../files/stored-file.ts";
import { changedDraft } from "./drafts.ts";
import { logError } from "./log.ts";
import { removeAlone } from "./remove.ts";
import { save } from "./save.ts";
import { findAnyRow } from "./select.ts";
import { type Outcome, type Submission, submitOnce } from "./submissions.ts";
import { endedTransaction } from "./transactions.ts";
import { noteUpload } from "./uploads.ts";

/** The most records that refer to a record which is merged into another one. */
export const mostMoved = 2000;

/** Why two records weren't merged: somebody changed one of them, too many refer to one, or a record can't be changed. */
export type NotMerged =
  | { why: "changed" | "too many" | Trouble }
  | { why: "refused"; title: string; sentences: string };

/** Two records that are the same: one stays, with what was chosen of both; the other one goes. */
export interface Merging {
  kept: Row;
  gone: Row;
  /** The versions that the person saw. */
  versions: { kept: number; gone: number };
  /** What fields are to hold that aren't as they are in the one that stays. */
  chosen: Typed;
}

/**
 * Merges two records in one transaction: what refers to the one that goes refers to the other one afterwards, each change saved as
 * its form would save it; then the one is deleted, and the other one gets what was chosen. All of it is done, or nothing.
 */
export async function mergeSubmission(
  scope: Scope,
  entity: Entity,
  { kept, gone, versions, chosen }: Merging,
  { submission, outcome }: { submission: Submission; outcome: Outcome },
): Promise<{ token: string; outcome: Outcome } | { refused: NotMerged }> {
  scope.require("change", entity);
  scope.require("delete", entity);
  await requireOn(scope, "change", entity, kept.id);
  await requireOn(scope, "delete", entity, gone.id);
  try {
    return await submitOnce<NotMerged>(scope.db, submission, async (trx, refuse) => {
      const within = scope.within(trx);
      const changes = async (changed: Entity, row: Row, values: Typed) => {
        const why = await changeOne(within, changed, row, values);
        if (why) refuse(why);
      };
      for (const [row, version] of [
        [kept, versions.kept],
        [gone, versions.gone],
      ] as const) {
        const now = await findAnyRow(within, entity, row.id);
        if (now?.version !== version) refuse({ why: "changed" });
      }
      let moved = 0;
      for (const referrer of scope.entities.referrersOf(entity)) {
        for (const id of await referringIds(within, referrer, gone.id)) {
          if (++moved > mostMoved) refuse({ why: "too many" });
          const row = await findAnyRow(within, referrer.entity, id);
          // What the person doesn't see can't be moved by them.
          if (!row) throw new Forbidden("change", referrer.entity);
          const own = row.id === kept.id && referrer.entity.table === entity.table;
          await changes(referrer.entity, row, movedTo(referrer, row, { kept, gone, own }));
        }
      }
      // It may have referred to itself, and so be another version by now.
      const other = await findAnyRow(within, entity, gone.id);
      const why = other && (await removeAlone(within, entity, other));
      if (why) refuse({ why: "changed" });
      const now = await findAnyRow(within, entity, kept.id);
      if (!now) return refuse({ why: "changed" });
      await releaseFiles(within, entity, gone, chosen);
      if (chosen.size > 0) await changes(entity, now, chosen);
      return outcome;
    });
  } catch (error) {
    if (constraintViolation(error)) return { refused: { why: "changed" } };
    const trouble = troubleOf(error);
    if (!trouble || !endedTransaction(error)) throw error;
    logError(error, `merging ${entity.table}`);
    return { refused: { why: trouble } };
  }
}

/** Lets the files of the record that goes, which belong to nobody now, be used by the one that stays. */
async function releaseFiles(
  scope: Scope,
  { inputs }: Entity,
  gone: Row,
  chosen: Typed,
): Promise<void> {
  for (const name of chosen.keys()) {
    const field = inputs[name];
    if (!field || !isFiles(field)) continue;
    for (const file of filesIn(gone[name])) await noteUpload(scope, file);
  }
}

/** Changes some fields of a record as its form would; or says why not. */
async function changeOne(
  scope: Scope,
  entity: Entity,
  row: Row,
  values: Typed,
): Promise<NotMerged | undefined> {
  await requireOn(scope, "change", entity, row.id);
  const { typed } = await changedDraft(scope, entity, row, values);
  const result = await save(scope, entity, { typed, saved: { row, version: row.version } });
  if ("row" in result) return undefined;
  if ("stale" in result) return { why: "changed" };
  const sentences = [...new Set(result.errors.values())].join(" ");
  return { why: "refused", title: row.displayTitle, sentences };
}

/** The numbers of the records that refer to one, whoever sees them. */
async function referringIds(
  scope: Scope,
  { entity: { table }, name, field }: Referrer,
  id: number,
): Promise<number[]> {
  const { rows } = isReference(field)
    ? await sql<{ id: number }>`
        select id from ${sql.table(table)} where ${sql.ref(name)} = ${id} order by id`.execute(
        scope.db,
      )
    : await sql<{ id: number }>`
        select ${sql.ref(field.through.from)} as id from ${sql.table(field.through.table)}
        where ${sql.ref(field.through.to)} = ${id} order by 1`.execute(scope.db);
  return rows.map((row) => Number(row.id));
}

/** What a field that refers to the one that goes holds afterwards; nothing refers to itself. */
function movedTo(
  { name, field }: Referrer,
  row: Row,
  { kept, gone, own }: { kept: Row; gone: Row; own: boolean },
): Typed {
  if (isReference(field)) return new Map([[name, own ? [""] : [String(kept.id)]]]);
  const there = (row[name] as readonly { id: number }[]).map(({ id }) => id);
  const ids = there
    .map((id) => (id === gone.id ? kept.id : id))
    .filter((id) => !(own && id === kept.id));
  return new Map([[name, [...new Set(ids)].map(String)]]);
}
