import { type Entity, type Field, isComputed, isMany, isReference } from "../model/model.ts";
import { columnOf, tableOf } from "../schema/from-model.ts";
import { type Column, type Schema, type Table, tableNamed } from "../schema/schema.ts";
import { automatic } from "./columns.ts";
import { passingName } from "./former-names.ts";
import type { Step } from "./steps.ts";

/** Where the values of a field are: in a column, in a column of numbers, or in a table of links. */
export type FieldStorage =
  | { kind: "scalar" | "reference"; column: Column }
  | { kind: "links"; table: Table; target: string };

/**
 * Where the values of each field were: under its name; or under the one it had before, if nothing has
 * its name. Those that take another's place come first, in an order in which they can.
 */
export function storageBefore(
  entity: Entity,
  now: Schema,
  formerly: ReadonlyMap<string, string> | undefined,
  isClaimed: (table: string) => boolean,
): Map<Field, FieldStorage | undefined> {
  const table = tableOf(entity.name);
  const found = new Map<Field, FieldStorage | undefined>();
  const claimed = new Set<string>();
  const keyOf = (storage: FieldStorage) =>
    storage.kind === "links" ? storage.table.name : storage.column.name;
  const free = (name: string | undefined, field: Field): FieldStorage | undefined => {
    const storage =
      name === undefined ? undefined : storageNamed(now, table, name, field, isClaimed);
    return storage && !claimed.has(keyOf(storage)) ? storage : undefined;
  };
  const stored = entity.fields.filter((field) => !isComputed(field));
  const claim = (field: Field, storage: FieldStorage | undefined): void => {
    found.set(field, storage);
    if (storage) claimed.add(keyOf(storage));
  };
  for (let more = true; more; ) {
    more = false;
    for (const field of stored) {
      if (found.has(field) || free(field.name, field)) continue;
      const decided = formerly?.get(`${table}.${columnOf(field)}`);
      const was = field.was?.includes(".") ? undefined : field.was;
      const storage = free(decided, field) ?? free(was, field);
      if (!storage) continue;
      claim(field, storage);
      more = true;
    }
  }
  for (const field of stored) {
    if (!found.has(field)) claim(field, free(field.name, field));
  }
  return found;
}

/** Where the values of a field of that name are; where there are several, those of the kind that a field wants. */
export function storageNamed(
  now: Schema,
  table: string,
  name: string,
  field?: Field,
  isClaimed: (table: string) => boolean = () => false,
): FieldStorage | undefined {
  const columns = tableNamed(now, table)?.columns ?? [];
  const at = (wanted: string, references: boolean) =>
    columns.find(
      (column) => column.name === wanted && (column.references !== undefined) === references,
    );
  const scalar = automatic.has(name) ? undefined : at(name, false);
  const reference = at(`${name}_id`, true) ?? at(name, true);
  const links = tableNamed(now, `${table}_${name}`);
  const target = links?.columns[1]?.references?.table;
  const storages: (FieldStorage | undefined)[] = [
    scalar && { kind: "scalar", column: scalar },
    reference && { kind: "reference", column: reference },
    links && links.key.length > 1 && target !== undefined && !isClaimed(links.name)
      ? { kind: "links", table: links, target }
      : undefined,
  ];
  if (!field) return storages.find((storage) => storage !== undefined);
  const wanted = isMany(field) ? "links" : isReference(field) ? "reference" : "scalar";
  const found = storages.filter((storage) => storage !== undefined);
  return found.find(({ kind }) => kind === wanted) ?? found[0];
}

/** A step that gives what holds the values of a field the name that it has for another field, or while names are exchanged. */
export function storageRename(
  table: string,
  { field, storage }: { field: string; storage: FieldStorage },
  from: string,
  to: string,
): Step {
  const named = (name: string, own: (name: string) => string) =>
    name === passingName ? name : own(name);
  if (storage.kind === "links") {
    const own = (name: string) => `${table}_${name}`;
    return { kind: "rename table", table: named(from, own), to: named(to, own) };
  }
  const own = (name: string) => (storage.column.name === field ? name : `${name}_id`);
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
