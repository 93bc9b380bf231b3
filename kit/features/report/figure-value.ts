import type { Scope } from "../../access/scope.ts";
import { labelIn } from "../../entity/label.ts";
import { durationText } from "../../formula/durations.ts";
import type { ReadyFigure } from "../../store/report/figures.ts";
import type { Told } from "../../store/report/told.ts";

/** A figure of a group as it is told: itself, or a ratio in percent. */
export function toldText(scope: Scope, { figure, value, isRatio }: Told): string {
  if (!isRatio) return figureValueText(scope, figure, value);
  if (typeof value !== "number") return "";
  const { format } = scope;
  return figure.figure.as === "change" ? format.change(value) : format.share(value);
}

/** What a figure came to, as people read it; nothing where there was nothing. */
export function figureValueText(
  { format, language, messages }: Scope,
  { figure, field, formula, type }: ReadyFigure,
  value: number | string | undefined,
): string {
  if (value === undefined) return "";
  if (typeof value === "string") return format.date(value);
  if (figure.format === "money") return format.money(value);
  if (figure.format) return format.number(value, unitOf(figure.format));
  if (figure.kind === "count") return format.number(value);
  if (type === "duration") return durationText(value);
  if (formula?.calculation.measure === "money") return format.money(value);
  if (type === "span") return format.number(value, messages.days);
  if (field?.kind === "percent") return format.number(value, "%");
  return format.number(value, field?.unit ? labelIn(field.unit, language) : "");
}

/** The unit that a format puts behind a number. */
function unitOf(format: string): string {
  if (format === "percent") return "%";
  return /^[0-6]$/.test(format) ? "" : format;
}
