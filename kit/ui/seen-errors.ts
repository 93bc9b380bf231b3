import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import { labelOfColumn } from "./value.tsx";

/** What is wrong with a record, as the person may know it: of fields that they don't see, only that something is wrong. */
export function seenErrors(
  scope: Scope,
  entity: Entity,
  errors: ReadonlyMap<string, string>,
): Map<string, string> {
  const seen = new Map([...errors].filter(([name]) => !scope.isHidden(entity, name)));
  if (seen.size < errors.size) seen.set("", scope.messages.valuesRefused);
  return seen;
}

/** The same as sentences, each behind the label of its field. */
export function toldErrors(
  scope: Scope,
  entity: Entity,
  errors: ReadonlyMap<string, string>,
): string[] {
  return [...seenErrors(scope, entity, errors)].map(([name, error]) =>
    name === "" ? error : `${labelOfColumn(scope, entity, name)}: ${error}`,
  );
}
