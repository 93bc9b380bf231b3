import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import type { BindKind } from "../database/contract.ts";
import { bindValue, formulas } from "../database/current-dialect.ts";
import type { Entity } from "../entity/entity.ts";
import { type Calculation, withParameters } from "../formula/calculation.ts";
import type { Complaint } from "../formula/complaint.ts";
import { longestFormula } from "../formula/report.ts";
import { FormulaScope, formulaOf } from "../formula/scope.ts";
import { formulaSql, momentParameters } from "../formula/sql.ts";
import { factsFor } from "./formula-facts.ts";

/** A formula that somebody typed, of the rows of an entity. */
export interface AskedFormula {
  text: string;
  calculation: Calculation;
  /** What it gives of a row of the entity's table, which goes by its own name in the statement. */
  value: RawBuilder<unknown>;
}

/** Reads the formulas that somebody types: what they know is what that person sees. */
export class AskedFormulas {
  readonly #scope: Scope;
  readonly #names: FormulaScope;

  constructor(scope: Scope) {
    this.#scope = scope;
    this.#names = new FormulaScope(factsFor(scope));
  }

  /** A formula, or what is wrong with it. */
  read(entity: Entity, typed: string): AskedFormula | { complaint: Complaint } {
    const text = typed.replaceAll("\0", "");
    if (text.length > longestFormula) {
      const at = { start: 0, end: text.length };
      return { complaint: { at, message: this.#scope.messages.report.tooLong(longestFormula) } };
    }
    const facts = this.#names.facts.entity(entity.table);
    const found = formulaOf(facts, asFormula(text), this.#names);
    if ("complaint" in found) return found;
    const { calculation } = found;
    return { text, calculation, value: statementOf(this.#scope, entity, calculation) };
  }
}

/** A formula as the language has it: whoever types one into a form leaves out the sign before it. */
export function asFormula(text: string): string {
  return /^\s*=/.test(text) ? text : `= ${text}`;
}

const kinds: Readonly<Record<Calculation["type"], BindKind>> = {
  text: "text",
  number: "number",
  boolean: "boolean",
  date: "date",
  time: "time",
  moment: "datetime",
  span: "number",
  duration: "number",
};

/** A calculation in SQL. What somebody typed, and what they see of other tables, is put in by its place. */
function statementOf(scope: Scope, entity: Entity, calculation: Calculation): RawBuilder<unknown> {
  const parts: RawBuilder<unknown>[] = [];
  const part = (each: RawBuilder<unknown>) => `\0${parts.push(each) - 1}\0`;
  const text = formulaSql(withParameters(calculation), formulas, {
    row: formulas.quoted(entity.table),
    ...momentParameters(formulas, {
      today: part(sql`${scope.today}`),
      now: part(sql`${scope.now}`),
    }),
    me: part(sql`${scope.me}`),
    rows: (table) => part(scope.rows(table)),
    parameter: (value, type) => part(bindValue(kinds[type], value)),
  });
  const pieces = text
    .split("\0")
    .map((piece, at) => (at % 2 === 0 ? sql.raw(piece) : parts[Number(piece)]));
  return sql`${sql.join(pieces, sql``)}`;
}
