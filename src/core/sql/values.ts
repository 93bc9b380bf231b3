import { alike, type ChangeColumn, isExact } from "../evolution/steps.ts";
import { alwaysConverts } from "./conversions.ts";
import type { Syntax } from "./syntax.ts";

/** What a change makes of an expression, and which values violate it. */
export interface ChangedValue {
  value: string;
  /** Conditions under which a value can't be taken over; none where every value can. */
  refused: string[];
  /** The condition under which there is no value and has to be one; undefined where that can't be. */
  missing?: string;
}

/** What a change makes of an expression. */
export function changedValue(syntax: Syntax, x: string, step: ChangeColumn): ChangedValue {
  const { from, to, values, fill, lossy = false } = step;
  const total = alwaysConverts(from.type, to.type);
  let value = syntax.converted(x, from.type, to.type, lossy, step.timezone ?? "UTC");
  const refused: string[] = [];
  if (!total && !lossy) refused.push(`${x} is not null and (${value}) is null`);
  if (values) {
    const cases = Object.entries(values).map(
      ([old, now]) => `when ${syntax.literal(old)} then ${syntax.literal(now)}`,
    );
    value = `case ${value} ${cases.join(" ")} else ${value} end`;
  }
  const checked = (expression: string) =>
    (to.checks ?? []).map((check) => syntax.check(check, `(${expression})`)).join(" and ");
  const narrower = !alike(from.checks ?? [], to.checks ?? []) || from.type.kind !== to.type.kind;
  if (narrower && to.checks) {
    if (lossy) value = `case when ${checked(`${value}`)} then ${value} end`;
    else refused.push(`not (${checked(`${value}`)})`);
  }
  if (fill) value = `coalesce(${value}, ${syntax.fill(fill)})`;
  const needed = to.required && !fill;
  if (needed && lossy) refused.push(`${x} is not null and (${value}) is null`);
  return { value, refused, ...(needed && !from.required && { missing: `${x} is null` }) };
}

/** Which rows a file has to keep so that a change can be reverted: those whose value doesn't come back by itself. */
export function keptRows(syntax: Syntax, x: string, step: ChangeColumn, value: string): string {
  const { from, to, fill } = step;
  if (isExact(from.type, to.type) && alike(from.type.kind, to.type.kind)) {
    const isText = from.type.kind === "text" || from.type.kind === "long text";
    return isText ? syntax.differs(value, x) : `not ${syntax.same(value, x)}`;
  }
  return fill ? "true" : `${x} is not null`;
}
