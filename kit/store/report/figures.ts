import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import { type Calculation, valueTypeOf } from "../../formula/calculation.ts";
import type { Complaint } from "../../formula/complaint.ts";
import type { Figure } from "../../formula/report.ts";
import { type AskedFormula, AskedFormulas } from "../asked-formulas.ts";
import { pathOf } from "../formula-paths.ts";
import { formulaLabel } from "./dimensions.ts";

/** A figure of a report over an entity, ready to be asked for. */
export interface ReadyFigure {
  figure: Figure;
  label: string;
  /** What it is of; undefined for a number of rows. */
  formula?: AskedFormula;
  /** The field that its values are of, which knows what they count. */
  field?: Field;
  /** How many digits it has behind the point. */
  places: number;
  /** What its values are: a number, a day. */
  type: ReturnType<typeof valueTypeOf>;
}

/** The digits behind the point that an average has. */
const averagePlaces = 2;

/** A figure, ready; or what is wrong with it. */
export function readyFigure(
  scope: Scope,
  entity: Entity,
  figure: Figure,
  formulas = new AskedFormulas(scope),
): ReadyFigure | { complaint: Complaint } {
  const { messages } = scope;
  const told = (label: string) =>
    figure.name
      ? figure.name
      : figure.as
        ? messages.report.figureOf(messages.report.tellings[figure.as], label)
        : label;
  if (figure.kind === "count") {
    const label = told(scope.namesOf(entity).headings);
    return { figure, label, places: 0, type: "number" };
  }
  const formula = formulas.read(entity, figure.of);
  if ("complaint" in formula) return formula;
  const type = valueTypeOf(formula.calculation);
  const adds = figure.kind === "sum" || figure.kind === "average";
  if (!(isNumeric(formula.calculation) || (!adds && type === "date"))) {
    const at = { start: 0, end: figure.of.length };
    return { complaint: { at, message: messages.report.numberExpected } };
  }
  const path = pathOf(scope, entity, figure.of);
  const field = path?.fields.at(-1)?.field;
  const { places } = formula.calculation;
  return {
    figure,
    label: told(
      figure.as
        ? formulaLabel(scope, entity, figure.of)
        : messages.report.figureOf(
            messages.report.figures[figure.kind],
            formulaLabel(scope, entity, figure.of),
          ),
    ),
    formula,
    ...(field && { field }),
    places: placesOf(figure, places),
    type,
  };
}

/** How many digits a figure has behind the point: those that it asks for, or those of its formula. */
function placesOf({ kind, format = "" }: Figure, places: number): number {
  if (/^[0-6]$/.test(format)) return Number(format);
  return kind === "average" ? Math.min(6, places + averagePlaces) : places;
}

function isNumeric({ type }: Calculation): boolean {
  return type === "number" || type === "span";
}
