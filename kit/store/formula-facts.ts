import type { Scope } from "../access/scope.ts";
import { type Entity, isComputed, isReference, isReferences } from "../entity/entity.ts";
import type { Referrer } from "../entity/registry.ts";
import type { Field, FieldKind } from "../fields/field.ts";
import { isFiles } from "../fields/files.tsx";
import { isOrderedByLetters } from "../fields/types.ts";
import { secondPlaces } from "../formula/durations.ts";
import {
  type ColumnFacts,
  type EntityFacts,
  type Facts,
  type FieldFacts,
  type ListFacts,
  lettersOf,
} from "../formula/facts.ts";
import { largestNumber } from "../formula/operations.ts";
import { viaName } from "../formula/tree.ts";
import type { ValueType } from "../formula/value-type.ts";

/**
 * What somebody's formulas know of the entities of an application, by the names of their tables: what that person may see.
 * A field that is hidden from them isn't there.
 */
export function factsFor(scope: Scope): Facts {
  const entities = new Map<string, EntityFacts>();
  return {
    me: scope.access?.record,
    entity: (table) => {
      const known = entities.get(table) ?? entityFacts(scope, scope.entities.named(table));
      entities.set(table, known);
      return known;
    },
  };
}

/** What formulas call a field: a reference without the end of its column. */
export function formulaName(name: string, field: Field): string {
  return isReference(field) ? name.replace(/_id$/, "") : name;
}

function entityFacts(scope: Scope, entity: Entity): EntityFacts {
  const seen = Object.entries(entity.fields).filter(([name]) => !scope.isHidden(entity, name));
  const fields = seen.map(
    ([name, field]) => [formulaName(name, field), fieldFacts(scope, entity, name, field)] as const,
  );
  return {
    name: entity.table,
    table: entity.table,
    fields: new Map(fields),
    lists: new Map(listsOf(scope, entity)),
    formerly: new Map(),
  };
}

/** The records that refer to one, of the entities that the person sees, by fields that they see. */
function listsOf(scope: Scope, entity: Entity): [string, ListFacts][] {
  const all = scope.entities.referrersOf(entity).filter(({ field }) => isReference(field));
  return all
    .filter((each) => scope.may("see", each.entity) && !scope.isHidden(each.entity, each.name))
    .map(({ entity: { table, many, path }, name, field }) => {
      const plural = many ?? path.slice(1).replaceAll("-", "_");
      const several = all.filter((other: Referrer) => other.entity.table === table).length > 1;
      const list = several ? viaName(plural, formulaName(name, field)) : plural;
      return [list, { entity: table, source: { table, by: name } }];
    });
}

/** What the values of fields are in formulas; undefined where these can't use them. */
const values: Readonly<Record<FieldKind, ValueType | undefined>> = {
  text: "text",
  "long text": "text",
  email: "text",
  url: "text",
  phone: "text",
  color: "text",
  place: "text",
  choice: "text",
  integer: "number",
  decimal: "number",
  money: "number",
  percent: "number",
  span: "span",
  duration: "duration",
  boolean: "boolean",
  date: "date",
  time: "time",
  datetime: "moment",
  reference: undefined,
  references: undefined,
  tags: "text",
  image: undefined,
  file: undefined,
};

function fieldFacts(scope: Scope, entity: Entity, name: string, field: Field): FieldFacts {
  if (isComputed(field)) return { kind: "computed", formula: `= ${field.written}` };
  if (isReferences(field)) {
    const { table: links, from, to } = field.through;
    return { kind: "rows", entity: field.to, source: { table: field.to, by: { links, from, to } } };
  }
  const blanks = scope.unseen(entity).has(name);
  const column = (type: ValueType): ColumnFacts => ({
    type: type === "duration" ? "number" : type,
    places: field.kind === "duration" ? secondPlaces : (field.places ?? 0),
    optional: blanks || (!field.required && field.kind !== "boolean"),
    most: type === "number" ? (field.most ?? largestNumber * 10) : largestNumber,
    measure: field.kind === "money" || field.kind === "duration" ? field.kind : undefined,
    column: name,
    field: formulaName(name, field),
    ordered: type === "text" && isOrderedByLetters(field),
    refers: isReference(field),
    ...lettersOf(Object.keys(field.choices ?? {})),
  });
  if (isReference(field)) return { kind: "record", entity: field.to, column: column("number") };
  if (isFiles(field)) return { kind: "files", column: column("text") };
  const value = values[field.kind];
  if (!value) return { kind: "nothing", reason: (words) => words.nothingComputed };
  return {
    kind: "value",
    value,
    column: column(value),
    ...(field.choices && { choices: { now: Object.keys(field.choices) } }),
  };
}
