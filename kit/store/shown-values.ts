import type { Scope } from "../access/scope.ts";
import type { Entity, Row } from "../entity/entity.ts";
import { type Typed, writtenValues } from "../entity/typed.ts";

/**
 * What a record has in the fields that are there for the person, as the texts of their inputs. Whatever is told of a record
 * besides its inputs comes from here: neither the names of other fields nor what is in them.
 */
export function shownValues(scope: Scope, entity: Entity, row: Row): Typed {
  const inputs = Object.entries(entity.inputs).filter(([name]) => !scope.isHidden(entity, name));
  return writtenValues({ ...entity, inputs: Object.fromEntries(inputs) }, row, scope);
}
