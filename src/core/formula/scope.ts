import * as kit from "../../../kit/formula/scope.ts";
import type { Entity, Model } from "../model/model.ts";
import { entityFacts, factsOf } from "./facts.ts";

/** A formula of an entity of a model, ready to be computed; or what is wrong with it, at its place in the text. */
export function formulaOf(
  model: Model,
  entity: Entity,
  text: string,
  scope = new kit.FormulaScope(factsOf(model)),
): kit.Outcome {
  return kit.formulaOf(entityFacts(model, entity), text, scope);
}
