import type { Diagnostic } from "../model/diagnostics.ts";
import {
  automaticFields,
  type Entity,
  entityNamed,
  type Field,
  type Model,
} from "../model/model.ts";
import { pluralOf, snakeCase } from "../naming/words.ts";
import type { ValueType } from "./functions.ts";
import { parseFormula } from "./parse.ts";
import { type Meaning, type Scope, typeFormula } from "./typing.ts";

const valueTypes: Readonly<Partial<Record<Field["type"]["kind"], ValueType>>> = {
  text: "text",
  "long text": "text",
  email: "text",
  url: "text",
  phone: "text",
  color: "text",
  choice: "text",
  integer: "number",
  decimal: "number",
  money: "number",
  percent: "number",
  boolean: "boolean",
  date: "date",
  time: "time",
  datetime: "moment",
};

/** What is wrong with the formulas of a model, each thing at its place. */
export function checkFormulas(model: Model): Diagnostic[] {
  const formulas = new FormulaScope(model);
  return model.entities.flatMap((entity) =>
    entity.fields.flatMap((field): Diagnostic[] => {
      const trouble = field.type.kind === "formula" ? formulas.trouble(entity, field) : undefined;
      return trouble ? [{ severity: "error", ...trouble }] : [];
    }),
  );
}

type Outcome = { type: ValueType } | { trouble: Omit<Diagnostic, "severity"> };

/** The names that formulas of a model know; what a computed field gives is found out when it is asked for. */
class FormulaScope implements Scope {
  readonly #found = new Map<Field, Outcome>();
  readonly #open: { entity: Entity; field: Field }[] = [];

  constructor(readonly model: Model) {}

  trouble(entity: Entity, field: Field): Omit<Diagnostic, "severity"> | undefined {
    const outcome = this.#outcome(entity, field);
    return "trouble" in outcome ? outcome.trouble : undefined;
  }

  names(name: string): string[] {
    const entity = entityNamed(this.model, name);
    return [...entity.fields.map((field) => field.name), ...this.#rows(entity).keys()];
  }

  meaning(entityName: string, name: string): Meaning | undefined {
    const entity = entityNamed(this.model, entityName);
    const field = entity.fields.find((each) => each.name === name);
    if (field) return this.#fieldMeaning(entity, field);
    if ((automaticFields as readonly string[]).includes(name)) {
      return { kind: "value", type: name === "id" || name === "version" ? "number" : "moment" };
    }
    const rows = this.#rows(entity).get(name);
    return rows === undefined ? undefined : { kind: "rows", entity: rows };
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
    const result =
      "complaint" in parsed ? parsed : typeFormula(parsed.expression, entity.name, this);
    if ("type" in result) return result;
    const { at: place, ...rest } = result.complaint;
    const { origin } = type;
    const span =
      origin === undefined ? at : { start: origin + place.start, end: origin + place.end };
    return { trouble: { ...rest, at: span } };
  }

  /** The records that refer to one of an entity: by their plural, and by the field where there are several. */
  #rows(target: Entity): Map<string, string> {
    const referring = this.model.entities.flatMap((entity) =>
      entity.fields
        .filter(
          ({ type }) => "entity" in type && type.entity === target.name && type.kind !== "many",
        )
        .map((field) => ({ entity, field })),
    );
    return new Map(
      referring.map(({ entity, field }) => {
        const several = referring.filter((each) => each.entity === entity).length > 1;
        const plural = snakeCase(pluralOf(entity.name));
        return [several ? `${plural}_by_${field.name}` : plural, entity.name];
      }),
    );
  }
}
