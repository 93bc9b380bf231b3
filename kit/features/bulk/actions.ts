import type { Action } from "../../access/action.ts";
import type { Entity } from "../../entity/entity.ts";

/** What is done with many records, and what somebody has to be allowed for it. */
export const needed = {
  change: "change",
  archive: "change",
  restore: "change",
  delete: "delete",
} as const satisfies Record<string, Action>;
export type BulkAction = keyof typeof needed;

/** What can be done with those of an entity. */
export function actionsOf({ archive }: Entity): BulkAction[] {
  return archive ? ["change", "archive", "restore", "delete"] : ["change", "delete"];
}
