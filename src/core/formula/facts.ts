import {
  type ColumnFacts,
  type EntityFacts,
  type Facts,
  type FieldFacts,
  lettersOf,
} from "../../../kit/formula/facts.ts";
import { largestNumber } from "../../../kit/formula/operations.ts";
import { isFiles } from "../fields/files.ts";
import { placesOf } from "../fields/numbers.ts";
import { canBe, ruleOf } from "../fields/types.ts";
import {
  type Entity,
  entityNamed,
  type Field,
  isMany,
  isReference,
  type Model,
} from "../model/model.ts";
import { columnOf, linkOf, tableOf } from "../schema/from-model.ts";
import { formerLists, reverseReferences } from "./reverse-references.ts";

/** What formulas know of a model, which doesn't change. */
export function factsOf(model: Model): Facts {
  const known = factsByModel.get(model) ?? made(model);
  factsByModel.set(model, known);
  return known;
}

const factsByModel = new WeakMap<Model, Facts>();

function made(model: Model): Facts {
  const entities = new Map<string, EntityFacts>();
  return {
    me: model.users?.record,
    entity: (name) => {
      const known = entities.get(name);
      if (known) return known;
      const found = entityFacts(model, entityNamed(model, name));
      entities.set(name, found);
      return found;
    },
  };
}

/** What they know of an entity of it. */
export function entityFacts(model: Model, entity: Entity): EntityFacts {
  const lists = [...reverseReferences(model, entity)].map(([list, { entity, field }]) => {
    const source = { table: tableOf(entity.name), by: columnOf(field) };
    return [list, { entity: entity.name, source }] as const;
  });
  const renamed = entity.fields.flatMap(({ name, was }) =>
    was === undefined ? [] : [[was, name] as const],
  );
  return {
    name: entity.name,
    table: tableOf(entity.name),
    fields: new Map(entity.fields.map((field) => [field.name, fieldFacts(entity, field)])),
    lists: new Map(lists),
    formerly: new Map([...formerLists(model, entity), ...renamed]),
  };
}

function fieldFacts(entity: Entity, field: Field): FieldFacts {
  const { type } = field;
  if (type.kind === "formula") {
    const { rounded } = type as { rounded?: number };
    return { kind: "computed", formula: type.formula, rounded };
  }
  if (isMany(field)) {
    const { table: links, from, to } = linkOf(entity, field);
    const source = { table: tableOf(field.type.entity), by: { links, from, to } };
    return { kind: "rows", entity: field.type.entity, source };
  }
  if (isReference(field))
    return { kind: "record", entity: field.type.entity, column: columnFacts(field) };
  if (isFiles(type)) return { kind: "files", column: columnFacts(field) };
  const value = ruleOf(type).value;
  if (!value) {
    const reason = `nothing is computed from a field of the type \`${type.kind}\``;
    return { kind: "nothing", reason: () => reason };
  }
  return {
    kind: "value",
    value,
    column: columnFacts(field),
    ...(type.kind === "choice" && {
      choices: { now: type.choices, ...(type.formerly && { formerly: type.formerly }) },
    }),
  };
}

function columnFacts(field: Field): ColumnFacts {
  const { type, required } = field;
  const known = isFiles(type) ? "text" : ruleOf(type).value;
  const places = placesOf(type);
  const bounds =
    "max" in type && typeof type.max === "number" && "min" in type && typeof type.min === "number"
      ? Math.max(Math.abs(type.min), Math.abs(type.max)) + 1
      : // Whole numbers may have a digit more than decimals have in all.
        type.kind === "integer"
        ? largestNumber * 10
        : largestNumber / 10 ** places;
  return {
    type: known === undefined || known === "duration" ? "number" : known,
    places,
    optional: !required && type.kind !== "boolean",
    most: known === "text" ? largestNumber : bounds,
    measure: type.kind === "money" || type.kind === "duration" ? type.kind : undefined,
    column: columnOf(field),
    field: field.name,
    ordered: known === "text" && canBe("order", type),
    refers: isReference(field),
    ...lettersOf(type.kind === "choice" ? type.choices : []),
  };
}
