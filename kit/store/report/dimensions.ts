import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { exactly, yearMonth } from "../../database/current-dialect.ts";
import { type Entity, isReference } from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import type { Complaint } from "../../formula/complaint.ts";
import { parseFormula } from "../../formula/parse.ts";
import { daysIn, type Period, periodOf } from "../../formula/periods.ts";
import { printName, printText } from "../../formula/print.ts";
import type { Dimension } from "../../formula/report.ts";
import { type AskedFormula, AskedFormulas, asFormula } from "../asked-formulas.ts";
import { type Path, pathIn, pathLabel, pathOf } from "../formula-paths.ts";
import { filterParameter } from "../list/filters.ts";

/** A dimension of a report over an entity, ready to be asked for. */
export interface ReadyDimension {
  dimension: Dimension;
  label: string;
  /** What rows are put together by in SQL. What the database gives for it is made a key by `key`. */
  value: RawBuilder<unknown>;
  key(value: unknown): string;
  /** What the value is where it is a column of the rows whose values are many, so that an index may have it. */
  column?: "number" | "date";
  /** The entity whose records the keys are the numbers of. */
  target?: Entity;
  /** The field that the values are of, which knows how they look. */
  field?: Field;
  per?: Period;
  /** Whether the values are moments, of which the database gives the day by the person's clock. */
  isMoment?: true;
  /**
   * Where no formula leads to the rows with a key: the parameters of the list that do; undefined where none do.
   */
  filter?(key: string): Readonly<Record<string, string>> | undefined;
  /** Whether the keys are months of the year, from 1 to 12. */
  isMonth?: true;
  type: AskedFormula["calculation"]["type"];
  /** A formula for the rows with a key; blank for those with nothing. */
  only(key: string): string;
}

/** The date whose months of the year a formula gives, where it is nothing but that: `month(date)`. */
function monthOf(scope: Scope, entity: Entity, text: string): Path | undefined {
  const parsed = parseFormula(asFormula(text));
  if ("complaint" in parsed || parsed.expression.kind !== "call") return undefined;
  const { name, given } = parsed.expression;
  const [date, ...more] = given;
  return name === "month" && date && more.length === 0 ? pathIn(scope, entity, date) : undefined;
}

/** What a formula is called: by the labels of its fields, where it is nothing but names. */
export function formulaLabel(scope: Scope, entity: Entity, text: string): string {
  const path = pathOf(scope, entity, text);
  if (path) return pathLabel(scope, path);
  const month = monthOf(scope, entity, text);
  const { report } = scope.messages;
  return month ? report.byPeriod(pathLabel(scope, month), report.ofYear) : text;
}

/** The column of a reference to records all of which the person sees: it leads to one, so that nobody has to look. */
function ownColumn(
  scope: Scope,
  { table }: Entity,
  { fields }: Path,
): RawBuilder<unknown> | undefined {
  const [only, ...more] = fields;
  if (!only || more.length > 0 || !isReference(only.field)) return undefined;
  const target = scope.entities.named(only.field.to);
  return scope.seesAll(target) ? sql.ref(`${table}.${only.name}`) : undefined;
}

/** A dimension, ready; or what is wrong with it. */
export function readyDimension(
  scope: Scope,
  entity: Entity,
  dimension: Dimension,
  formulas = new AskedFormulas(scope),
): ReadyDimension | { complaint: Complaint } {
  const { formula, per } = dimension;
  const path = pathOf(scope, entity, formula);
  const last = path?.fields.at(-1)?.field;
  const label = formulaLabel(scope, entity, formula);
  if (path && last && isReference(last)) {
    const text = `${path.names.map(printName).join(".")}.id`;
    const found = formulas.read(entity, text);
    if ("complaint" in found) return found;
    const own = ownColumn(scope, entity, path);
    return {
      dimension,
      label,
      value: own ?? found.value,
      ...(own && { column: "number" }),
      key: (value) => (value === null || value === undefined ? "" : String(value)),
      target: scope.entities.named(last.to),
      field: last,
      type: "number",
      only: (key) => (key === "" ? `${formula} is empty` : `${text} = ${key}`),
    };
  }
  const found = formulas.read(entity, formula);
  if ("complaint" in found) return found;
  const { calculation, value } = found;
  const { type } = calculation;
  const ready = {
    dimension,
    label,
    type,
    ...(last && { field: last }),
    ...(monthOf(scope, entity, formula) && { isMonth: true as const }),
  };
  const isColumn = path?.fields.length === 1;
  const nothing = `(${formula}) is empty`;
  if (type === "date") {
    const chosen = per ?? "day";
    const months = chosen === "year" || chosen === "quarter" || chosen === "month";
    return {
      ...ready,
      per: chosen,
      value: months ? yearMonth(value) : value,
      ...(isColumn && !months && { column: "date" }),
      key: (given) => {
        if (given === null || given === undefined) return "";
        return periodOf(chosen, months ? firstDay(given) : String(given));
      },
      only: (key) => {
        if (key === "") return nothing;
        const { from, to } = daysIn(chosen, key);
        return `${formula} >= ${dayText(from)} and ${formula} <= ${dayText(to)}`;
      },
    };
  }
  if (type === "moment") {
    const chosen = per ?? "day";
    const [only, ...along] = path?.names ?? [];
    const column = only !== undefined && along.length === 0 ? path?.fields[0]?.name : undefined;
    return {
      ...ready,
      per: chosen,
      isMoment: true,
      value,
      key: (given) =>
        given === null || given === undefined ? "" : periodOf(chosen, String(given)),
      only: () => "",
      filter: (key): Readonly<Record<string, string>> | undefined => {
        if (column === undefined) return undefined;
        const parameter = filterParameter(column);
        if (key === "") return { [`${parameter}.blank`]: "yes" };
        const { from, to } = daysIn(chosen, key);
        return { [`${parameter}.from`]: from, [`${parameter}.to`]: to };
      },
    };
  }
  if (type === "time") {
    const at = { start: 0, end: formula.length };
    return {
      complaint: { at, message: scope.messages.report.noTimes },
    };
  }
  const write = writers[type];
  return {
    ...ready,
    value: type === "text" && !isTellable(last) ? exactly(value) : value,
    ...(isColumn && (type === "number" || type === "duration") && { column: "number" }),
    key: (given) => {
      if (given === null || given === undefined) return "";
      if (type === "boolean") return given === true || Number(given) === 1 ? "yes" : "no";
      return type === "number" || type === "span" ? String(Number(given)) : String(given);
    },
    only: (key) => (key === "" ? nothing : write(formula, key)),
  };
}

/** The first day of a month as the database has it: of `2026-05` or 202605. */
function firstDay(month: unknown): string {
  const digits = String(month).replace("-", "").padStart(6, "0");
  return `${digits.slice(0, 4)}-${digits.slice(4)}-01`;
}

/** Whether no database takes two choices of a field for the same: they can be counted by an index. */
function isTellable(field: Field | undefined): boolean {
  const choices = Object.keys(field?.choices ?? {});
  const plain = choices.map((each) => each.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase());
  return choices.length > 0 && new Set(plain).size === choices.length;
}

function dayText(day: string): string {
  const [year, month, number] = day.split("-").map(Number);
  return `date(${year}, ${month}, ${number})`;
}

/** A formula for the rows with a value. */
const writers: Readonly<
  Record<
    "number" | "text" | "boolean" | "span" | "duration",
    (formula: string, key: string) => string
  >
> = {
  number: (formula, key) => `(${formula}) = ${key}`,
  span: (formula, key) => `(${formula}) = ${key} days`,
  duration: (formula, key) => `seconds(${formula}) = ${key}`,
  text: (formula, key) => `(${formula}) = ${printText(key)}`,
  boolean: (formula, key) => (key === "yes" ? formula : `not (${formula})`),
};
