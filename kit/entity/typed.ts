import type { FieldScope, FormulaScope } from "../fields/field.ts";
import type { Entity, Fields } from "./entity.ts";
import type { Link } from "./links.ts";

/** What was typed into the fields of a form, as texts. */
export type Typed = ReadonlyMap<string, readonly string[]>;

/** What lookups offer, by the name of their field. */
export type Options = Readonly<Record<string, readonly Link[]>>;

/** Which fields a form shows and needs, of those for which that depends on what is typed. */
export interface FormState {
  shown: Readonly<Record<string, boolean>>;
  needed: Readonly<Record<string, boolean>>;
}

/** Values by the name of their field. */
export type Values = Readonly<Record<string, unknown>>;

/** What a request carries for the fields of a form; nothing else in it is looked at. */
export function typedValues({ inputs }: Entity, data: FormData | URLSearchParams): Typed {
  const values = new Map<string, string[]>();
  for (const name of Object.keys(inputs)) {
    const found = data.getAll(name).filter((value): value is string => typeof value === "string");
    if (found.length > 0) values.set(name, found);
  }
  return values;
}

/** Reads what was typed: the values to save, or one error a field. */
export function readTyped(
  { inputs }: Entity,
  typed: Typed,
  scope: FieldScope,
): { values: Values } | { errors: Map<string, string> } {
  const values: [string, unknown][] = [];
  const errors = new Map<string, string>();
  for (const [name, field] of Object.entries(inputs)) {
    const reading = field.read(typed.get(name) ?? [], scope);
    if ("error" in reading) errors.set(name, reading.error);
    else values.push([name, reading.value]);
  }
  return errors.size > 0 ? { errors } : { values: Object.fromEntries(values) };
}

/** The values of those fields in which something right was typed. */
export function rightValues({ inputs }: Entity, typed: Typed, scope: FieldScope): Values {
  const right = Object.entries(inputs).flatMap(([name, field]) => {
    const reading = field.read(typed.get(name) ?? [], scope);
    return "value" in reading ? [[name, reading.value]] : [];
  });
  return Object.fromEntries(right);
}

/** A saved record, or what a new one starts with, as the texts that its inputs start with. */
export function writtenValues({ inputs }: Entity, record: object, scope: FieldScope): Typed {
  const written = new Map<string, string[]>();
  for (const [name, field] of Object.entries(inputs)) {
    const stored: unknown = Object.hasOwn(record, name) ? record[name as never] : undefined;
    if (stored === null || stored === undefined) continue;
    written.set(name, Array.isArray(stored) ? stored.map(idOf) : [field.write(stored, scope)]);
  }
  return written;
}

function idOf(item: unknown): string {
  return String(typeof item === "object" && item !== null && "id" in item ? item.id : item);
}

/**
 * Values that were read, in which those that nobody changed are as they were saved: an input may show less of a value
 * than there is of it, such as the seconds of a moment, or which of two hours of the same name it was.
 */
export function withUnchanged(
  entity: Entity,
  values: Values,
  typed: Typed,
  saved: object,
  scope: FieldScope,
): Values {
  const written = writtenValues(entity, saved, scope);
  const unchanged = Object.keys(entity.inputs).filter((name) => {
    const texts = written.get(name);
    return texts?.length === 1 && texts[0] === typed.get(name)?.[0] && !Array.isArray(values[name]);
  });
  const before = Object.fromEntries(unchanged.map((name) => [name, saved[name as never]]));
  return { ...values, ...before };
}

/** What some fields of a new record start with. */
export function startValues(fields: Fields, scope: FormulaScope): Values {
  return Object.fromEntries(
    Object.entries(fields).flatMap(([name, field]) =>
      field.start ? [[name, field.start(scope)]] : [],
    ),
  );
}

/** Whether nothing was typed into a field. */
export function isBlankTyped(typed: readonly string[] = []): boolean {
  return typed.every((each) => each.trim() === "");
}

/** Whether two fields hold the same texts; blank ones count as none. */
export function isSameTyped(one: readonly string[] = [], other: readonly string[] = []): boolean {
  const texts = (typed: readonly string[]) => typed.map((each) => each.trim()).filter(Boolean);
  return JSON.stringify(texts(one).sort()) === JSON.stringify(texts(other).sort());
}
