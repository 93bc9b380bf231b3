import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { setArchived } from "../../store/archive.ts";

/** Archives one of many records, or brings it back; or says why not. */
export async function archiveOne(
  scope: Scope,
  entity: Entity,
  row: Row,
  archived: boolean,
): Promise<string | undefined> {
  const why = await setArchived(scope, entity, row, archived);
  if (why === undefined) return undefined;
  const { messages } = scope;
  if (why === "taken") return messages.takenMeanwhile(scope.namesOf(entity).one);
  return { ...messages.troubles, changed: messages.changedMeanwhile }[why];
}
