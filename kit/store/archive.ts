import { type RawBuilder, type SqlBool, sql } from "kysely";
import { fieldsKept, requireOn } from "../access/row-rights.ts";
import { Forbidden, type Scope } from "../access/scope.ts";
import type { Trouble } from "../database/contract.ts";
import { constraintViolation, troubleOf } from "../database/current-dialect.ts";
import type { Entity, Row } from "../entity/entity.ts";
import { noteChange } from "./audit.ts";
import { logError } from "./log.ts";
import { findAnyRow } from "./select.ts";
import { endedTransaction, inTransaction } from "./transactions.ts";

/** When a record was archived: lists and lookups leave it out from then on. */
const column = "archived_at";

/** Which records a list is of, as its address says it: those in use, those that were archived, or both. */
export type ArchiveChoice = "in use" | "only" | "all";

/** What an address says of it. */
export function archiveChoice({ archive }: Entity, query: URLSearchParams): ArchiveChoice {
  const said = query.get("archived");
  if (!archive) return "all";
  return said === "only" || said === "all" ? said : "in use";
}

/** The conditions for such records of an entity, on its table by a name; none for all. */
export function archiveConditions(
  entity: Entity,
  choice: ArchiveChoice = "in use",
  alias = entity.table,
): RawBuilder<SqlBool>[] {
  if (!entity.archive || choice === "all") return [];
  const at = sql.ref(`${alias}.${column}`);
  return [choice === "only" ? sql`${at} is not null` : sql`${at} is null`];
}

/** When a record was archived; undefined for one that wasn't. */
export function archivedAt({ archive }: Entity, row: Row): string | undefined {
  const at = row[column];
  return archive && typeof at === "string" ? at : undefined;
}

/**
 * Archives a record, or brings it back. Nothing else of it changes, so that no rule is asked. Gives why it didn't, such as
 * that another record has by now what was unique in this one; throws
 * `Forbidden` where the person may not do it.
 */
export async function setArchived(
  scope: Scope,
  entity: Entity,
  row: Row,
  archived: boolean,
): Promise<"changed" | "taken" | Trouble | undefined> {
  await requireOn(scope, "change", entity, row.id);
  if ((await fieldsKept(scope, "change", entity, row.id)).has(column))
    throw new Forbidden("change", entity);
  if ((archivedAt(entity, row) !== undefined) === archived) return undefined;
  try {
    return await inTransaction(scope.db, async (trx) => {
      const within = scope.within(trx);
      const whole = within.seeingAll();
      const before = scope.access && (await findAnyRow(whole, entity, row.id));
      const { numUpdatedRows } = await trx
        .updateTable(entity.table)
        .set({
          [column]: archived ? scope.now : null,
          version: row.version + 1,
          updated_at: scope.now,
        })
        .where("id", "=", row.id)
        .where("version", "=", row.version)
        .where(within.allows("change", entity))
        .executeTakeFirst();
      if (numUpdatedRows === 0n) return "changed";
      if (before) {
        await noteChange(within, entity, {
          before,
          after: await findAnyRow(whole, entity, row.id),
        });
      }
      return undefined;
    });
  } catch (error) {
    if (constraintViolation(error)?.reason === "unique") return "taken";
    const trouble = troubleOf(error);
    if (!trouble || !endedTransaction(error)) throw error;
    logError(error, `archiving ${entity.table}`);
    return trouble;
  }
}
