import { sql } from "kysely";
import { requireOn } from "../access/row-rights.ts";
import type { Scope } from "../access/scope.ts";
import type { Trouble } from "../database/contract.ts";
import { constraintViolation, troubleOf } from "../database/current-dialect.ts";
import { type Entity, isReference, type Row } from "../entity/entity.ts";
import { noteChange } from "./audit.ts";
import { logError } from "./log.ts";
import { partsOf, referencedBy } from "./referenced-by.ts";
import { contextOf } from "./save.ts";
import { findAnyRow } from "./select.ts";
import { type Outcome, type Submission, submitOnce } from "./submissions.ts";
import { endedTransaction, inTransaction } from "./transactions.ts";

/** Why a record wasn't deleted. */
export type NotRemoved = "in use" | "parts in use" | "changed" | Trouble;

/** What somebody asks to be deleted: the version that they saw, and how many parts of it. */
interface Removal {
  row: Row;
  version: number | undefined;
  parts: string;
}

/**
 * The one way to delete a record: with its parts, and only where nothing else refers to it. Parts that were added since
 * somebody looked would be deleted unseen, so that they block it. Throws `Forbidden` where the person may not do it.
 */
export async function removeSubmission(
  scope: Scope,
  entity: Entity,
  { row, version, parts }: Removal,
  { submission, outcome }: { submission: Submission; outcome: Outcome },
): Promise<{ token: string; outcome: Outcome } | { refused: NotRemoved }> {
  scope.require("delete", entity);
  await requireOn(scope, "delete", entity, row.id);
  try {
    return await submitOnce<NotRemoved>(scope.db, submission, async (trx, refuse) => {
      const within = scope.within(trx);
      // All of them, whoever asks: what is out of sight would be deleted, too.
      const references = await referencedBy(within.seeingAll(), entity, row.id);
      if (references.some(({ cascades }) => !cascades)) refuse("in use");
      const hides = scope.entities
        .referrersOf(entity)
        .some((referrer) => !scope.seesAll(referrer.entity));
      const seen = hides ? await referencedBy(within, entity, row.id) : references;
      if (version === undefined || parts !== partsOf(seen)) return refuse("changed");
      if (partsOf(references) !== partsOf(seen)) refuse("in use");
      await scope.entities.rulesOf(entity).beforeDelete?.(row, contextOf(within, row));
      if (scope.access) await noteDeletion(within.seeingAll(), entity, row.id);
      if (!(await deleteRow(within, entity, row.id, version))) refuse("changed");
      return outcome;
    });
  } catch (error) {
    if (constraintViolation(error)?.reason === "reference") return { refused: "parts in use" };
    const trouble = troubleOf(error);
    if (!trouble || !endedTransaction(error)) throw error;
    logError(error, `deleting ${entity.table}`);
    return { refused: trouble };
  }
}

/** Deletes a record that has no parts, in a transaction of its own; or says why not. */
export async function removeAlone(
  scope: Scope,
  entity: Entity,
  row: Row,
): Promise<NotRemoved | undefined> {
  await requireOn(scope, "delete", entity, row.id);
  try {
    return await inTransaction(scope.db, async (trx) => {
      const within = scope.within(trx);
      const references = await referencedBy(within.seeingAll(), entity, row.id);
      if (references.length > 0) {
        return references.some(({ cascades }) => !cascades) ? "in use" : "parts in use";
      }
      await scope.entities.rulesOf(entity).beforeDelete?.(row, contextOf(within, row));
      if (scope.access) await noteDeletion(within.seeingAll(), entity, row.id);
      if (!(await deleteRow(within, entity, row.id, row.version))) throw new Changed();
      return undefined;
    });
  } catch (error) {
    if (error instanceof Changed) return "changed";
    if (constraintViolation(error)?.reason === "reference") return "in use";
    const trouble = troubleOf(error);
    if (!trouble || !endedTransaction(error)) throw error;
    logError(error, `deleting ${entity.table}`);
    return trouble;
  }
}

/** Reverts a deletion of what somebody changed meanwhile. */
class Changed extends Error {}

/** Notes that a record is deleted, and all of its parts with it. */
async function noteDeletion(scope: Scope, entity: Entity, id: number): Promise<void> {
  const before = await findAnyRow(scope, entity, id);
  await noteChange(scope, entity, { before });
  for (const { entity: part, name, field } of scope.entities.referrersOf(entity)) {
    if (!isReference(field) || !field.part) continue;
    const { rows } = await sql<{ id: number }>`
      select id from ${scope.rowsOf(part)} as parts where ${sql.ref(`parts.${name}`)} = ${id} order by id`.execute(
      scope.db,
    );
    for (const row of rows) await noteDeletion(scope, part, row.id);
  }
}

/** False where the record has another version by now, or is out of sight. */
async function deleteRow(
  scope: Scope,
  entity: Entity,
  id: number,
  version: number,
): Promise<boolean> {
  const { numDeletedRows } = await scope.db
    .deleteFrom(entity.table)
    .where("id", "=", id)
    .where("version", "=", version)
    .where(scope.allows("delete", entity))
    .executeTakeFirst();
  return numDeletedRows > 0n;
}
