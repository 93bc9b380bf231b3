import { withoutField } from "../evolution/hold-back.ts";
import type { Diagnostic, Span } from "../model/diagnostics.ts";
import {
  automaticFields,
  type Entity,
  entityNamed,
  type Field,
  isComputed,
  type Model,
  type RowRule,
} from "../model/model.ts";
import type { Calculation } from "./calculation.ts";
import type { ValueType } from "./functions.ts";
import { roundedTo } from "./operations.ts";
import { type Complaint, parseFormula } from "./parse.ts";
import { printName } from "./print.ts";
import { formerList, referringTo } from "./referring.ts";
import { calculationOf, valueTypes } from "./resolve.ts";
import { type Meaning, type Scope, typeFormula } from "./typing.ts";

/** What is wrong with the formulas of a model, each thing at its place. */
export function checkFormulas(model: Model): Diagnostic[] {
  return troubles(model).map(
    ({ renamed: _, ...trouble }): Diagnostic => ({ severity: "error", ...trouble }),
  );
}

/** Something that is wrong with a formula, at its place in the file. */
interface Trouble extends Omit<Diagnostic, "severity"> {
  renamed?: string;
}

function troubles(model: Model): Trouble[] {
  const formulas = new FormulaScope(model);
  return model.entities.flatMap((entity) => {
    const fields = entity.fields.map((field) =>
      field.type.kind === "formula" ? formulas.trouble(entity, field) : undefined,
    );
    const rules = entity.rules.map((rule) => ruleTrouble(model, entity, rule));
    return [...fields, ...rules].filter((trouble) => trouble !== undefined);
  });
}

/** Names in the formulas of a model that mean something under another name by now, the first of each formula. */
export function renamedInFormulas(model: Model): { at: Span; name: string }[] {
  return troubles(model).flatMap(({ at, renamed }) =>
    renamed === undefined ? [] : [{ at, name: printName(renamed) }],
  );
}

/** A model without the formulas that it lacks something for, and without the rules. */
export function onlyComputable(model: Model): Model {
  const formulas = new FormulaScope(model);
  const entities = model.entities.map((entity) => {
    const rules = entity.rules.filter((rule) => !ruleTrouble(model, entity, rule));
    return entity.fields
      .filter((field) => isComputed(field) && formulas.trouble(entity, field))
      .reduce((left, field) => withoutField(left, field), { ...entity, rules });
  });
  return { ...model, entities };
}

function ruleTrouble(model: Model, entity: Entity, rule: RowRule): Trouble | undefined {
  const found = formulaOf(model, entity, rule.formula);
  if ("calculation" in found) {
    return found.calculation.type === "boolean"
      ? undefined
      : {
          message: "this gives a value, and a condition was expected",
          at: rule.at,
          help: "a condition holds or doesn't, as in `= removed is empty or removed >= installed`",
        };
  }
  return troubleOf(found.complaint, rule);
}

/** What is wrong with a formula, seen from the file: at its place, or at the whole where that isn't known. */
function troubleOf(
  { at: place, renamed, ...rest }: Complaint,
  { origin, at }: { origin?: number; at: Span },
): Trouble {
  return origin === undefined
    ? { ...rest, at }
    : {
        ...rest,
        at: { start: origin + place.start, end: origin + place.end },
        ...(renamed !== undefined && { renamed }),
      };
}

/** A rule of an entity; the model's formulas must have been checked. */
export function ruleCondition(model: Model, entity: Entity, { formula }: RowRule): Calculation {
  const found = formulaOf(model, entity, formula);
  if ("complaint" in found) throw new Error(`a rule of ${entity.name} is no condition`);
  return found.calculation;
}

/** A formula of an entity, ready to be computed; or what is wrong with it, at its place in the text. */
export function formulaOf(
  model: Model,
  entity: Entity,
  text: string,
): { calculation: Calculation } | { complaint: Complaint } {
  const parsed = parseFormula(text);
  if ("complaint" in parsed) return parsed;
  const typed = typeFormula(parsed.expression, entity.name, new FormulaScope(model));
  return "complaint" in typed ? typed : calculationOf(parsed.expression, entity, model);
}

/** What a computed field comes to; the model's formulas must have been checked. */
export function computedField(model: Model, entity: Entity, { name, type }: Field): Calculation {
  const found = type.kind === "formula" && formulaOf(model, entity, type.formula);
  if (!found || "complaint" in found) throw new Error(`${entity.name}.${name} isn't computed`);
  const { rounded } = type;
  return rounded === undefined ? found.calculation : roundedTo(found.calculation, rounded);
}

type Outcome = { type: ValueType } | { trouble: Trouble };

/** The names that formulas of a model know; what a computed field gives is found out when it is asked for. */
class FormulaScope implements Scope {
  readonly #found = new Map<Field, Outcome>();
  readonly #open: { entity: Entity; field: Field }[] = [];

  constructor(readonly model: Model) {}

  trouble(entity: Entity, field: Field): Trouble | undefined {
    const outcome = this.#outcome(entity, field);
    return "trouble" in outcome ? outcome.trouble : undefined;
  }

  names(name: string): string[] {
    const entity = entityNamed(this.model, name);
    return [...entity.fields.map((field) => field.name), ...referringTo(this.model, entity).keys()];
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
    const rows = referringTo(this.model, entity).get(name);
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
      const outcome = this.#outcome(entity, field);
      return "type" in outcome
        ? { kind: "value", type: outcome.type }
        : { kind: "nothing", reason: `the formula of ${entity.name}.${name} is wrong itself` };
    }
    const found = valueTypes[type.kind];
    return found
      ? { kind: "value", type: found }
      : {
          kind: "nothing",
          reason: `nothing is computed from a field of the type \`${type.kind}\``,
        };
  }

  #outcome(entity: Entity, field: Field): Outcome {
    const known = this.#found.get(field);
    if (known) return known;
    this.#open.push({ entity, field });
    const outcome = this.#read(entity, field);
    this.#open.pop();
    this.#found.set(field, outcome);
    return outcome;
  }

  #read(entity: Entity, { type, at }: Field): Outcome {
    if (type.kind !== "formula") throw new Error("no formula");
    const parsed = parseFormula(type.formula);
    const typed =
      "complaint" in parsed ? parsed : typeFormula(parsed.expression, entity.name, this);
    const found =
      "complaint" in parsed || "complaint" in typed
        ? typed
        : calculationOf(parsed.expression, entity, this.model);
    if ("type" in typed && "calculation" in found) return typed;
    const { origin } = type;
    const { complaint } = found as { complaint: Complaint };
    return { trouble: troubleOf(complaint, { at, ...(origin !== undefined && { origin }) }) };
  }
}
