import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { removeAlone } from "../../store/remove.ts";

/** Deletes one of many records; or says why not. One that has parts is deleted on its own page, which tells of them. */
export async function deleteOne(
  scope: Scope,
  entity: Entity,
  row: Row,
): Promise<string | undefined> {
  const why = await removeAlone(scope, entity, row);
  if (why === undefined) return undefined;
  const { messages } = scope;
  const own = {
    "in use": messages.inUse,
    "parts in use": messages.hasParts,
    changed: messages.changedMeanwhile,
  };
  return { ...messages.troubles, ...own }[why];
}
