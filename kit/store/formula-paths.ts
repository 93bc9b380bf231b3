import type { Scope } from "../access/scope.ts";
import { type Entity, isReference } from "../entity/entity.ts";
import { labelIn } from "../entity/label.ts";
import type { Field } from "../fields/field.ts";
import { parseFormula } from "../formula/parse.ts";
import type { Expression } from "../formula/tree.ts";
import { asFormula } from "./asked-formulas.ts";
import { formulaName } from "./formula-facts.ts";

/** What a formula leads to, field by field, where it is nothing but names. */
export interface Path {
  names: string[];
  fields: { entity: Entity; name: string; field: Field }[];
}

/** The fields that a path of names goes through; undefined for any other formula. */
export function pathOf(scope: Scope, entity: Entity, text: string): Path | undefined {
  const parsed = parseFormula(asFormula(text));
  return "complaint" in parsed ? undefined : pathIn(scope, entity, parsed.expression);
}

/** The same of an expression. */
export function pathIn(scope: Scope, entity: Entity, expression: Expression): Path | undefined {
  if (expression.kind !== "path") return undefined;
  const names = expression.names.map((name) => name.text);
  const fields: Path["fields"] = [];
  let place: Entity | undefined = entity;
  for (const name of names) {
    const found: [string, Field] | undefined =
      place &&
      Object.entries(place.fields).find(([column, field]) => formulaName(column, field) === name);
    if (!place || !found || scope.isHidden(place, found[0])) return undefined;
    const [column, field]: [string, Field] = found;
    fields.push({ entity: place, name: column, field });
    place = isReference(field) ? scope.entities.named(field.to) : undefined;
  }
  return { names, fields };
}

/** What a path is called: by the labels of its fields. */
export function pathLabel({ language }: Scope, { fields }: Path): string {
  return fields.map(({ field }) => labelIn(field.label, language)).join(" · ");
}
