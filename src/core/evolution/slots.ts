import { type Entity, type Field, isComputed, isMany, isReference } from "../model/model.ts";
import { columnOf, tableOf } from "../schema/from-model.ts";
import { type Column, type Schema, type Table, tableNamed } from "../schema/schema.ts";
import { automatic } from "./columns.ts";

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

function slotNamed(
  now: Schema,
  table: string,
  name: string,
  field: Field,
  isClaimed: (table: string) => boolean,
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
  const wanted = isMany(field) ? "links" : isReference(field) ? "reference" : "scalar";
  const found = slots.filter((slot) => slot !== undefined);
  return found.find(({ kind }) => kind === wanted) ?? found[0];
}
