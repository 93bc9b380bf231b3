import { ruleOf } from "../fields/types.ts";
import {
  automaticFields,
  type Entity,
  entityNamed,
  type Field,
  isComputed,
  type Model,
} from "../model/model.ts";
import { type Calculation, valueTypeOf } from "./calculation.ts";
import { type Complaint, parseFormula } from "./parse.ts";
import { calculationOf } from "./resolve.ts";
import { formerList, reverseReferences } from "./reverse-references.ts";
import { type Meaning, type Scope, typeFormula } from "./typing.ts";

/** A formula of an entity, ready to be computed; or what is wrong with it, at its place in the text. */
export function formulaOf(
  model: Model,
  entity: Entity,
  text: string,
  scope = new FormulaScope(model),
): { calculation: Calculation } | { complaint: Complaint } {
  const parsed = parseFormula(text);
  if ("complaint" in parsed) return parsed;
  const typed = typeFormula(parsed.expression, entity.name, scope);
  return "complaint" in typed ? typed : calculationOf(parsed.expression, entity, model);
}

/** What `formulaOf` gives. */
export type Outcome = ReturnType<typeof formulaOf>;

/** The names that formulas of a model know; what a computed field gives is found out when it is asked for. */
export class FormulaScope implements Scope {
  readonly #found = new Map<Field, Outcome>();
  readonly #open: { entity: Entity; field: Field }[] = [];

  constructor(readonly model: Model) {}

  /** The entity of `me`, whoever asks; undefined where people are no records. */
  get me(): string | undefined {
    return this.model.users?.record;
  }

  names(name: string): string[] {
    const entity = entityNamed(this.model, name);
    return [
      ...entity.fields.map((field) => field.name),
      ...reverseReferences(this.model, entity).keys(),
    ];
  }

  renamed(entityName: string, name: string): string | undefined {
    const entity = entityNamed(this.model, entityName);
    const field = entity.fields.find(({ was }) => was === name);
    return field?.name ?? formerList(this.model, entity, name);
  }

  meaning(entityName: string, name: string): Meaning | undefined {
    const entity = entityNamed(this.model, entityName);
    const field = entity.fields.find((each) => each.name === name);
    if (field) return this.#fieldMeaning(entity, field);
    if ((automaticFields as readonly string[]).includes(name)) {
      return { kind: "value", type: name === "id" || name === "version" ? "number" : "moment" };
    }
    const rows = reverseReferences(this.model, entity).get(name);
    return rows && { kind: "rows", entity: rows.entity.name };
  }

  #fieldMeaning(entity: Entity, field: Field): Meaning {
    const { type, name } = field;
    if (type.kind === "one" || type.kind === "part of")
      return { kind: "record", entity: type.entity };
    if (type.kind === "many") return { kind: "rows", entity: type.entity };
    if (type.kind === "formula") {
      const circle = this.#open.findIndex((each) => each.field === field);
      if (circle >= 0) {
        const path = [...this.#open.slice(circle), { entity, field }];
        const names = path.map((each) => `${each.entity.name}.${each.field.name}`);
        return { kind: "nothing", reason: `${names.join(" → ")}: each is computed from the next` };
      }
      const outcome = this.computed(entity, field);
      return "calculation" in outcome
        ? { kind: "value", type: valueTypeOf(outcome.calculation) }
        : { kind: "nothing", reason: `the formula of ${entity.name}.${name} is wrong itself` };
    }
    const found = ruleOf(type).value;
    const choices = type.kind === "choice" && {
      now: type.choices,
      ...(type.formerly && { formerly: type.formerly }),
    };
    return found
      ? { kind: "value", type: found, ...(choices && { choices }) }
      : {
          kind: "nothing",
          reason: `nothing is computed from a field of the type \`${type.kind}\``,
        };
  }

  /** The type and value of a computed field. */
  computed(entity: Entity, field: Field): Outcome {
    const known = this.#found.get(field);
    if (known) return known;
    if (!isComputed(field)) throw new Error(`${entity.name}.${field.name} is no formula`);
    this.#open.push({ entity, field });
    const outcome = formulaOf(this.model, entity, field.type.formula, this);
    this.#open.pop();
    this.#found.set(field, outcome);
    return outcome;
  }
}
