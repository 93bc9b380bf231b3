import { type Calculation, looksAtMe, namedFields } from "../../../kit/formula/calculation.ts";
import { roundedTo } from "../../../kit/formula/operations.ts";
import type { Outcome } from "../../../kit/formula/scope.ts";
import { type Entity, type Field, type Formula, isComputed, type Model } from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import { type HeldRule, rulesOf } from "./rules.ts";
import { formulaOf } from "./scope.ts";

/** A formula of an entity, whatever it is for; the model's formulas must have been checked. */
export function compiled(
  model: Model,
  entity: Entity,
  { formula }: Pick<Formula, "formula">,
): Calculation {
  const found = formulaOf(model, entity, formula);
  if ("complaint" in found) throw new Error(`${entity.name}: ${formula} can't be computed`);
  return found.calculation;
}

/** The same, of values that aren't saved yet, any of which may be missing. */
export function compiledBefore(
  model: Model,
  entity: Entity,
  formula: Pick<Formula, "formula">,
): Calculation {
  return compiled(model, unsaved(entity), formula);
}

/** The same of a formula that nobody has checked. */
export function compileBefore(model: Model, entity: Entity, formula: string): Outcome {
  return formulaOf(model, unsaved(entity), formula);
}

function unsaved(entity: Entity): Entity {
  return { ...entity, fields: entity.fields.map((field) => ({ ...field, required: false })) };
}

/** The rules of an entity that hold whoever asks, so that rows can be checked when nobody does. */
export function rulesForAll(model: Model, entity: Entity): HeldRule[] {
  return rulesOf(entity).filter((rule) => !looksAtMe(compiled(model, entity, rule)));
}

/** The calculation of a computed field; the model's formulas must have been checked. */
export function computedField(model: Model, entity: Entity, field: Field): Calculation {
  if (!isComputed(field)) throw new Error(`${entity.name}.${field.name} isn't computed`);
  const { rounded } = field.type as { rounded?: number };
  const calculation = compiled(model, entity, field.type);
  return rounded === undefined ? calculation : roundedTo(calculation, rounded);
}

/** A field's default that is computed, as the field can hold it. */
export interface ComputedDefault {
  field: Field;
  calculation: Calculation;
}

/** The defaults of an entity that are computed, each behind those that it looks at; and those that go in a circle. */
export function computedDefaults(
  model: Model,
  entity: Entity,
): { ordered: ComputedDefault[]; circle: ComputedDefault[] } {
  const ordered: ComputedDefault[] = [];
  let left = entity.fields.flatMap((field): ComputedDefault[] => {
    if (!field.default || !("formula" in field.default)) return [];
    const found = formulaOf(model, unsaved(entity), field.default.formula);
    if ("complaint" in found) return [];
    const places = "places" in field.type ? field.type.places : 0;
    return [{ field, calculation: roundedTo(found.calculation, places) }];
  });
  while (left.length > 0) {
    const waiting = new Set(left.map(({ field }) => columnOf(field)));
    const next = left.find(
      ({ calculation }) => !namedFields(calculation).some((name) => waiting.has(name)),
    );
    if (!next) break;
    ordered.push(next);
    left = left.filter((each) => each !== next);
  }
  return { ordered, circle: left };
}
