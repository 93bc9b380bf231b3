import type { Calculation } from "../../../kit/formula/calculation.ts";
import { evaluation, type Row } from "../../../kit/formula/evaluate.ts";
import { compiled, computedDefaults } from "../formula/compile.ts";
import {
  isOwn,
  type Moment,
  type RowLocalRule,
  rowLocalRules,
} from "../formula/row-local-rules.ts";
import type { Entity, Field, Model } from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import type { Value } from "./value.ts";

/** What a model says of rows as a whole, as far as it looks at nothing besides the row. */
export interface RowConditions {
  /** The first rule of its entity that a row violates. */
  broken(row: Row): RowLocalRule | undefined;
  /** Fields that forms ask for on a condition only. */
  shown: { field: Field; when(row: Row): boolean }[];
  /** Fields that are needed on a condition. */
  needed: { field: Field; when(row: Row): boolean }[];
  /** Fields with a default that is computed, each behind those that it looks at. */
  computed: { field: Field; value(row: Row): Value }[];
}

/** The conditions of an entity, ready to be asked of rows. */
export function conditionsOf(model: Model, entity: Entity, moment: Moment): RowConditions {
  const asked = (calculation: Calculation) => {
    const value = evaluation(calculation);
    return (row: Row) => value(row, moment);
  };
  /** Where nothing is known of other records, whatever they are like has to be right. */
  const when = (field: Field, formula: Field["shownWhen"]) => {
    const calculation = formula && compiled(model, entity, formula);
    if (!calculation) return [];
    if (!isOwn(calculation)) return [{ field, when: () => true }];
    const holds = asked(calculation);
    return [{ field, when: (row: Row) => holds(row) === true }];
  };
  const rules = rowLocalRules(model, entity, moment);
  return {
    broken: (row) => rules.find((rule) => !rule.holds(row)),
    shown: entity.fields.flatMap((field) => when(field, field.shownWhen)),
    needed: entity.fields.flatMap((field) => when(field, field.requiredWhen)),
    computed: computedDefaults(model, entity)
      .ordered.filter(({ calculation }) => isOwn(calculation))
      .map(({ field, calculation }) => ({ field, value: asked(calculation) })),
  };
}

/**
 * Makes a row that was made field by field agree with the conditions between its fields, in place: what
 * forms don't ask for is empty, what is needed is `made`, and most computed defaults are as computed.
 */
export function settle(
  row: Record<string, Value>,
  { shown, needed, computed }: RowConditions,
  today: string,
  { made, asComputed }: { made(field: Field): Value; asComputed(field: Field): boolean },
): void {
  for (const { field, value } of computed) {
    const found = value(row);
    if (isWithin(field, found, today) && asComputed(field)) row[columnOf(field)] = found;
  }
  for (const { field, when } of shown) {
    if (!field.required && !when(row)) row[columnOf(field)] = null;
  }
  for (const { field, when } of needed) {
    const column = columnOf(field);
    if (Object.hasOwn(row, column) && row[column] === null && when(row)) row[column] = made(field);
  }
}

/** Whether a field's range has a value in it. */
function isWithin({ type }: Field, value: Value, today: string): boolean {
  if (value === null) return false;
  const size = typeof value === "string" && type.kind !== "date" ? [...value].length : value;
  const { min, max } = type as { min?: number | string; max?: number | string };
  const bound = (limit: number | string) => (limit === "today" ? today : limit);
  return (min === undefined || size >= bound(min)) && (max === undefined || size <= bound(max));
}
