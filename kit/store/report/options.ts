import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference, isReferences } from "../../entity/entity.ts";
import { labelIn } from "../../entity/label.ts";
import type { Field } from "../../fields/field.ts";
import { functions, rowFunctions } from "../../formula/functions.ts";
import { periods } from "../../formula/periods.ts";
import { printName } from "../../formula/print.ts";
import { formulaName } from "../formula-facts.ts";

/** Something that rows can be put together by, as it is in an address and as people read it. */
export interface DimensionOption {
  text: string;
  label: string;
}

/** What rows of an entity can be put together by: its own fields, and those of the records that they refer to. */
export function dimensionOptions(scope: Scope, entity: Entity): DimensionOption[] {
  const own = optionsOf(scope, entity, "", "");
  const along = referencesOf(scope, entity).flatMap(({ name, field, target }) =>
    optionsOf(scope, target, `${name}.`, `${field} · `),
  );
  return [...own, ...along];
}

/** The fields that figures are told of, as formulas call them. */
export function figureOptions(scope: Scope, entity: Entity): DimensionOption[] {
  const numbers = (each: Entity, path: string, before: string) =>
    seenFields(scope, each).flatMap(([name, field]) =>
      addable.has(field.kind)
        ? [{ text: path + printName(name), label: before + labelIn(field.label, scope.language) }]
        : [],
    );
  const along = referencesOf(scope, entity).flatMap(({ name, field, target }) =>
    numbers(target, `${name}.`, `${field} · `),
  );
  return [...numbers(entity, "", ""), ...along];
}

/** What formulas over an entity can name, as they are completed: fields, those of the records that it refers to, and functions. */
export function formulaWords(scope: Scope, entity: Entity): DimensionOption[] {
  const named = (each: Entity, path: string, before: string) =>
    seenFields(scope, each).map(([name, field]) => ({
      text: path + printName(name),
      label: before + labelIn(field.label, scope.language),
    }));
  const along = referencesOf(scope, entity).flatMap(({ name, field, target }) =>
    named(target, `${name}.`, `${field} · `),
  );
  const called = Object.entries({ ...functions, ...rowFunctions }).map(([name, { example }]) => ({
    text: example.includes("(") ? `${name}(` : name,
    label: example,
  }));
  return [...named(entity, "", ""), ...along, ...called];
}

const addable: ReadonlySet<Field["kind"]> = new Set([
  "integer",
  "decimal",
  "money",
  "percent",
  "span",
  "duration",
]);

function seenFields(scope: Scope, entity: Entity): [string, Field][] {
  return Object.entries(entity.fields)
    .filter(([name]) => !scope.isHidden(entity, name))
    .map(([name, field]): [string, Field] => [formulaName(name, field), field]);
}

function referencesOf(scope: Scope, entity: Entity) {
  return seenFields(scope, entity).flatMap(([name, field]) =>
    isReference(field)
      ? [
          {
            name: printName(name),
            field: labelIn(field.label, scope.language),
            target: scope.entities.named(field.to),
          },
        ]
      : [],
  );
}

function optionsOf(scope: Scope, entity: Entity, path: string, before: string): DimensionOption[] {
  const { report } = scope.messages;
  return seenFields(scope, entity).flatMap(([name, field]) => {
    const text = path + printName(name);
    const label = before + labelIn(field.label, scope.language);
    if (isReferences(field)) return [];
    if (field.kind === "date" || field.kind === "datetime") {
      const ofYear = { text: `month(${text})`, label: report.byPeriod(label, report.ofYear) };
      return [
        ...periods.map((per) => ({
          text: `${text}:${per}`,
          label: report.byPeriod(label, report.periods[per]),
        })),
        ...(field.kind === "date" ? [ofYear] : []),
      ];
    }
    const groups =
      field.choices ||
      field.kind === "boolean" ||
      isReference(field) ||
      (path !== "" && field.kind === "text") ||
      field.kind === "integer";
    return groups ? [{ text, label }] : [];
  });
}
