import { valueTypeOf } from "../../../kit/formula/calculation.ts";
import { durationText } from "../../../kit/formula/durations.ts";
import { evaluation, type Row } from "../../../kit/formula/evaluate.ts";
import type { Entity, Model } from "../model/model.ts";
import { compileBefore } from "./compile.ts";
import { isOwn, type Moment } from "./row-local-rules.ts";

/** A condition of a row by itself, before it is saved; or what is wrong with it. */
export type RowCondition =
  | { holds(row: Row): boolean }
  | { message: string; help?: string | undefined };

/** A value of a row by itself, before it is saved, as data files have it; or what is wrong with its formula. */
export type RowFormula =
  | { text(row: Row): string | null }
  | { message: string; help?: string | undefined };

/** Compiles a formula on the rows of an entity, any of whose values may be missing. */
export function rowFormula(
  model: Model,
  entity: Entity,
  formula: string,
  moment: Moment,
): RowFormula {
  const found = compileBefore(model, entity, formula.replace(/^\s*=?\s*/, "= "));
  if ("complaint" in found) return found.complaint;
  const { calculation } = found;
  if (!isOwn(calculation)) return { message: "it looks at more than the row itself" };
  const value = evaluation(calculation);
  const isSpan = valueTypeOf(calculation) === "duration";
  return {
    text: (row) => {
      const computed = value(row, moment);
      if (computed === null) return null;
      if (typeof computed === "boolean") return computed ? "yes" : "no";
      return typeof computed === "number" && isSpan ? durationText(computed) : String(computed);
    },
  };
}

/** Compiles a condition on the rows of an entity, any of whose values may be missing. */
export function rowCondition(
  model: Model,
  entity: Entity,
  condition: string,
  moment: Moment,
): RowCondition {
  const found = compileBefore(model, entity, condition.replace(/^\s*=?\s*/, "= "));
  if ("complaint" in found) return found.complaint;
  const { calculation } = found;
  const help = "as in `weight > 0 and status <> 'sold'`";
  if (calculation.type !== "boolean") return { message: "it is not a condition", help };
  if (!isOwn(calculation)) return { message: "it looks at more than the row itself", help };
  const value = evaluation(calculation);
  return { holds: (row) => value(row, moment) === true };
}
