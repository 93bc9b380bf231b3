import {
  type Calculation,
  looksAtMe,
  looksAtOthers,
  namedFields,
} from "../../../kit/formula/calculation.ts";
import { evaluation, type Row } from "../../../kit/formula/evaluate.ts";
import { automaticFields, type Entity, type Model } from "../model/model.ts";
import { compiled } from "./compile.ts";
import { type HeldRule, rulesOf } from "./rules.ts";

/** This day and this moment, by which formulas are computed. */
export interface Moment {
  today: string;
  now: string;
}

/** A rule that can be asked of a row by itself. */
export interface RowLocalRule {
  rule: HeldRule;
  /** The columns that it looks at. */
  columns: string[];
  holds(row: Row): boolean;
}

/** The rules of an entity that look at nothing but what a row has before it is saved. */
export function rowLocalRules(model: Model, entity: Entity, moment: Moment): RowLocalRule[] {
  return rulesOf(entity).flatMap((rule): RowLocalRule[] => {
    const calculation = compiled(model, entity, rule);
    if (!isOwn(calculation)) return [];
    const value = evaluation(calculation);
    return [
      { rule, columns: namedFields(calculation), holds: (row) => value(row, moment) === true },
    ];
  });
}

/** Whether a formula looks at nothing but what a row has before it is saved. */
export function isOwn(calculation: Calculation): boolean {
  const automatic: readonly string[] = automaticFields;
  return (
    !looksAtOthers(calculation) &&
    !looksAtMe(calculation) &&
    !namedFields(calculation).some((name) => automatic.includes(name))
  );
}
