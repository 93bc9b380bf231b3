import { archiveField, type Entity, type Field, isReference } from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import type { Lifetime } from "./days.ts";
import { isDay } from "./days.ts";
import type { Making } from "./making.ts";
import { rankOf, ranks, subjectOf } from "./meaning.ts";
import { Picker, type Records } from "./parents.ts";
import { Draw } from "./random.ts";
import type { Value } from "./value.ts";
import { valueMaker } from "./values.ts";

/** A field that rows are made of, one value after the other. */
export interface FieldMaker {
  field: Field;
  column: string;
  /** Whether it refers to records that are only made later. */
  late: boolean;
  /** The value of a row, or nothing where it is left blank; another turn gives another one. */
  value(row: number, turn: number, made: Readonly<Record<string, Value>>, within: Lifetime): Value;
  /** The same, never blank if there is a choice. */
  filled: FieldMaker["value"];
  /** How many different values there are. */
  capacity: number;
  /** The value with a number from 0 to the capacity; no two are alike. */
  nth?(index: number): Value;
  unsure: boolean;
}

/** The makers of an entity's fields, each behind those that it looks at; `records` are those that can be referred to. */
export function fieldMakers(
  fields: readonly Field[],
  making: Making,
  records: ReadonlyMap<string, Records>,
): FieldMaker[] {
  const makers = fields.map((field) =>
    isReference(field)
      ? referenceMaker(field, making, records.get(field.type.entity))
      : plainMaker(field, making),
  );
  // Days look at what the record belongs to and at earlier days; addresses at names.
  const place = ({ field }: FieldMaker) => {
    if (isReference(field)) return 0;
    if (isDay(field)) return 3 + ranks[rankOf(field)];
    return field.type.kind === "email" || field.type.kind === "url" ? 2 : 1;
  };
  return makers
    .map((maker) => [place(maker), maker] as const)
    .sort(([a], [b]) => a - b)
    .map(([, maker]) => maker);
}

function plainMaker(field: Field, making: Making): FieldMaker {
  const { value, capacity, nth, unsure = false } = valueMaker(field, making);
  const share = blankShare(making.entity, field);
  const blank = new Draw(making.seed, making.entity.name, field.name, "blank");
  return {
    field,
    column: columnOf(field),
    late: false,
    value: (row, turn, made, within) =>
      share > 0 && blank.at(row, turn).next() < share ? null : value(row, turn, made, within),
    filled: value,
    capacity,
    ...(nth && { nth }),
    unsure,
  };
}

/** The share of the rows in which a field is left blank. */
export function blankShare(entity: Entity, field: Field): number {
  const { type } = field;
  if (field.required || type.kind === "boolean") return 0;
  if (entity.archive && field.name === archiveField) return 1;
  if (isReference(field)) return field.unique ? 0.05 : 0.15;
  if (isDay(field)) return { ended: 0.85, due: 0.4 }[rankOf(field) as string] ?? 0.1;
  if (type.kind === "choice") return field.default ? 0 : 0.05;
  if (type.kind === "long text") return 0.55;
  if (type.kind === "text") {
    const subject = subjectOf(entity, field);
    if (subject === "note") return 0.55;
    return ["name", "full name", "given name", "family name", "code"].includes(subject) ? 0 : 0.1;
  }
  return 0.1;
}

function referenceMaker(
  field: Field & { type: { entity: string } },
  { entity, seed }: Making,
  records: Records | undefined,
): FieldMaker {
  const key = [seed, entity.name, field.name] as const;
  const picker = new Picker(...key);
  const draw = new Draw(...key, "blank");
  const among = new Draw(...key);
  const share = blankShare(entity, field);
  const own = field.type.entity === entity.name;
  const filled = (row: number, turn: number): Value => {
    const count = records?.count ?? 0;
    if (!records || count === 0) return null;
    // Of its own kind are only those that were made before, so that there is no circle.
    const place = own
      ? Math.floor(among.at(row, turn).next() * count)
      : picker.pick(count, row, turn);
    return records.id(place);
  };
  const nth = (index: number): Value =>
    records && records.count > 0 ? records.id(picker.shuffled(records.count, index)) : null;
  // One after the other makes a chain.
  const next = (row: number): Value => (records && row > 0 ? records.id(records.count - 1) : null);
  return {
    field,
    column: columnOf(field),
    late: records === undefined,
    value: (row, turn) => {
      if (own && field.unique) return next(row);
      const roots = own ? 0.3 : share;
      return roots > 0 && !field.required && draw.at(row, turn).next() < roots
        ? null
        : filled(row, turn);
    },
    filled,
    capacity: own ? Infinity : (records?.count ?? 0),
    ...(field.unique && !own && { nth }),
    unsure: false,
  };
}

/** Narrows a lifetime down to what a row belongs to. */
export function narrowed(
  makers: readonly FieldMaker[],
  made: Readonly<Record<string, Value>>,
  records: ReadonlyMap<string, Records>,
  within: Lifetime,
): void {
  for (const { field, column } of makers) {
    if (!isReference(field)) return;
    const id = made[column];
    const target = records.get(field.type.entity);
    if (typeof id === "number" && target) target.narrow(id, within);
  }
}
