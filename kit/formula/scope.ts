import { type Calculation, valueTypeOf } from "./calculation.ts";
import type { Complaint } from "./complaint.ts";
import { automaticColumns, type EntityFacts, type Facts } from "./facts.ts";
import { parseFormula } from "./parse.ts";
import { calculationOf } from "./resolve.ts";
import { type Meaning, type Scope, typeFormula } from "./typing.ts";

/** A formula, ready to be computed; or what is wrong with it, at its place in the text. */
export type Outcome = { calculation: Calculation } | { complaint: Complaint };

/** A formula of an entity. Its own record may be known otherwise than those that refer to it: `entity` says how. */
export function formulaOf(entity: EntityFacts, text: string, scope: FormulaScope): Outcome {
  const parsed = parseFormula(text);
  if ("complaint" in parsed) return parsed;
  const typed = typeFormula(parsed.expression, entity.name, scope);
  return "complaint" in typed ? typed : calculationOf(parsed.expression, entity, scope.facts);
}

/** The names that formulas know; what a computed field gives is found out when it is asked for. */
export class FormulaScope implements Scope {
  readonly #found = new Map<string, Outcome>();
  readonly #open: string[] = [];

  constructor(readonly facts: Facts) {}

  get me(): string | undefined {
    return this.facts.me;
  }

  names(name: string): string[] {
    const { fields, lists } = this.facts.entity(name);
    return [...fields.keys(), ...lists.keys()];
  }

  renamed(entity: string, name: string): string | undefined {
    return this.facts.entity(entity).formerly.get(name);
  }

  meaning(entityName: string, name: string): Meaning | undefined {
    const { fields, lists } = this.facts.entity(entityName);
    const field = fields.get(name);
    switch (field?.kind) {
      case "value":
        return {
          kind: "value",
          type: field.value,
          ...(field.choices && { choices: field.choices }),
        };
      case "record":
      case "rows":
        return { kind: field.kind, entity: field.entity };
      case "files":
      case "nothing":
        return field;
      case "computed":
        return this.#computedMeaning(entityName, name);
      case undefined: {
        const automatic = Object.hasOwn(automaticColumns, name) && automaticColumns[name];
        if (automatic) return { kind: "value", type: automatic };
        const list = lists.get(name);
        return list && { kind: "rows", entity: list.entity };
      }
    }
  }

  #computedMeaning(entity: string, name: string): Meaning {
    const path = `${entity}.${name}`;
    const circle = this.#open.indexOf(path);
    if (circle >= 0) {
      const names = [...this.#open.slice(circle), path];
      return { kind: "nothing", reason: (words) => words.circle(names.join(" → ")) };
    }
    const outcome = this.computed(entity, name);
    return "calculation" in outcome
      ? { kind: "value", type: valueTypeOf(outcome.calculation) }
      : { kind: "nothing", reason: (words) => words.wrongItself(path) };
  }

  /** The type and value of a computed field. */
  computed(entity: string, name: string): Outcome {
    const path = `${entity}.${name}`;
    const known = this.#found.get(path);
    if (known) return known;
    const facts = this.facts.entity(entity);
    const field = facts.fields.get(name);
    if (field?.kind !== "computed") throw new Error(`${path} is no formula`);
    this.#open.push(path);
    const outcome = formulaOf(facts, field.formula, this);
    this.#open.pop();
    this.#found.set(path, outcome);
    return outcome;
  }
}
