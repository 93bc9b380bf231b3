import { type Entity, type Field, isComputed, isMany, isReference } from "../model/model.ts";
import { columnOf, tableOf } from "../schema/from-model.ts";
import { type Column, type Schema, type Table, tableNamed } from "../schema/schema.ts";
import { automatic } from "./columns.ts";
import { passingName } from "./former-names.ts";
import type { Step } from "./steps.ts";

/** Where the values of a field are: in a column, in a column of numbers, or in a table of links. */
export type Slot =
  | { kind: "scalar" | "reference"; column: Column }
  | { kind: "links"; table: Table; target: string };

/**
 * Where the values of each field were: under its name; or under the one it had before, if nothing has
 * its name. Those that take another's place come first, in an order in which they can.
 */
export function slotsBefore(
  entity: Entity,
  now: Schema,
  formerly: ReadonlyMap<string, string> | undefined,
  isClaimed: (table: string) => boolean,
): Map<Field, Slot | undefined> {
  const table = tableOf(entity.name);
  const found = new Map<Field, Slot | undefined>();
  const claimed = new Set<string>();
  const keyOf = (slot: Slot) => (slot.kind === "links" ? slot.table.name : slot.column.name);
  const free = (name: string | undefined, field: Field): Slot | undefined => {
    const slot = name === undefined ? undefined : slotNamed(now, table, name, field, isClaimed);
    return slot && !claimed.has(keyOf(slot)) ? slot : undefined;
  };
  const stored = entity.fields.filter((field) => !isComputed(field));
  const claim = (field: Field, slot: Slot | undefined): void => {
    found.set(field, slot);
    if (slot) claimed.add(keyOf(slot));
  };
  for (let more = true; more; ) {
    more = false;
    for (const field of stored) {
      if (found.has(field) || free(field.name, field)) continue;
      const decided = formerly?.get(`${table}.${columnOf(field)}`);
      const was = field.was?.includes(".") ? undefined : field.was;
      const slot = free(decided, field) ?? free(was, field);
      if (!slot) continue;
      claim(field, slot);
      more = true;
    }
  }
  for (const field of stored) {
    if (!found.has(field)) claim(field, free(field.name, field));
  }
  return found;
}

/** Where the values of a field of that name are; where there are several, those of the kind that a field wants. */
export function slotNamed(
  now: Schema,
  table: string,
  name: string,
  field?: Field,
  isClaimed: (table: string) => boolean = () => false,
): Slot | undefined {
  const columns = tableNamed(now, table)?.columns ?? [];
  const at = (wanted: string, references: boolean) =>
    columns.find(
      (column) => column.name === wanted && (column.references !== undefined) === references,
    );
  const scalar = automatic.has(name) ? undefined : at(name, false);
  const reference = at(`${name}_id`, true) ?? at(name, true);
  const links = tableNamed(now, `${table}_${name}`);
  const target = links?.columns[1]?.references?.table;
  const slots: (Slot | undefined)[] = [
    scalar && { kind: "scalar", column: scalar },
    reference && { kind: "reference", column: reference },
    links && links.key.length > 1 && target !== undefined && !isClaimed(links.name)
      ? { kind: "links", table: links, target }
      : undefined,
  ];
  if (!field) return slots.find((slot) => slot !== undefined);
  const wanted = isMany(field) ? "links" : isReference(field) ? "reference" : "scalar";
  const found = slots.filter((slot) => slot !== undefined);
  return found.find(({ kind }) => kind === wanted) ?? found[0];
}

/** A step that gives what holds the values of a field the name that it has for another field, or while names are exchanged. */
export function slotRename(
  table: string,
  { field, slot }: { field: string; slot: Slot },
  from: string,
  to: string,
): Step {
  const named = (name: string, own: (name: string) => string) =>
    name === passingName ? name : own(name);
  if (slot.kind === "links") {
    const own = (name: string) => `${table}_${name}`;
    return { kind: "rename table", table: named(from, own), to: named(to, own) };
  }
  const own = (name: string) => (slot.column.name === field ? name : `${name}_id`);
  return { kind: "rename column", table, column: named(from, own), to: named(to, own) };
}

/** The renames among steps as those of fields: the names of one before and after, whatever holds its values. */
export function fieldMoves(
  steps: readonly Step[],
  table: string,
  fields: readonly string[],
): string[] {
  const fieldOf = (name: string, links: boolean): string => {
    const plain = links ? name.slice(table.length + 1) : name;
    if (name === passingName || fields.includes(plain)) return name === passingName ? name : plain;
    return plain.replace(/_id$/, "");
  };
  return steps.flatMap((step) => {
    const links = step.kind === "rename table";
    if (!links && (step.kind !== "rename column" || step.table !== table)) return [];
    const [from, to] = links ? [step.table, step.to] : [step.column, step.to];
    if (links && ![from, to].every((each) => each === passingName || each.startsWith(`${table}_`)))
      return [];
    return [`${fieldOf(from, links)} > ${fieldOf(to, links)}`];
  });
}
