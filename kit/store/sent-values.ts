import type { Scope } from "../access/scope.ts";
import { type Entity, isReference, isReferences, type Row } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import {
  isBlankTyped,
  isSameTyped,
  readTyped,
  startValues,
  type Typed,
  type Values,
  withUnchanged,
  writtenValues,
} from "../entity/typed.ts";
import { fillIn } from "./conditional-fields.ts";

/** What is to be saved: values as texts, as forms have them, or ready ones. */
export type Change = ({ typed: Typed } | { values: Values }) & {
  /** The record that is changed, and the version of it that the change was made of; undefined for a new one. */
  saved?: { row: Row; version: number } | undefined;
};

/** What of a record is kept from the person, and the record with what they may not see. */
interface Keeping {
  kept: ReadonlySet<string>;
  whole: Row | undefined;
}

/**
 * Reads what is to be saved. What is kept from the person stays as it is saved, or as a new record starts. So do
 * references to records out of sight: no form offers those, so that they come back blank.
 */
export async function readAsked(
  scope: Scope,
  entity: Entity,
  change: Change,
  { kept, whole }: Keeping,
): Promise<ReturnType<typeof readTyped>> {
  const row = change.saved?.row;
  if (!("typed" in change)) {
    const starts = whole ? savedValues(entity, whole) : startValues(entity.inputs, scope);
    const own = Object.entries(change.values).map(([name, value]) => [
      name,
      kept.has(name) ? (starts[name] ?? null) : value,
    ]);
    return { values: Object.fromEntries(own) };
  }
  const sent = fieldsSent(scope, entity, change.typed, kept, row);
  if (sent.length > 0) {
    return { errors: new Map(sent.map((name) => [name, scope.messages.mayNotChange])) };
  }
  const typed = row ? change.typed : await withStarts(scope, entity, change.typed, kept);
  const unseen = unseenValues(scope, entity, typed, row);
  const asked = Object.entries(entity.inputs).filter(
    ([name]) => !unseen.has(name) && !(row && kept.has(name)),
  );
  const read = readTyped({ ...entity, inputs: Object.fromEntries(asked) }, typed, scope);
  if ("errors" in read) return read;
  if (!row || !whole) return { values: { ...read.values, ...Object.fromEntries(unseen) } };
  const values = withUnchanged(entity, read.values, typed, row, scope);
  const stays = Object.entries(savedValues(entity, whole)).filter(([name]) => kept.has(name));
  return { values: { ...values, ...Object.fromEntries(unseen), ...Object.fromEntries(stays) } };
}

/** The fields in which somebody sent something although they may not. */
export function fieldsSent(
  scope: Scope,
  entity: Entity,
  typed: Typed,
  kept: ReadonlySet<string>,
  row: Row | undefined,
): string[] {
  const now = writtenValues(entity, row ?? startValues(entity.inputs, scope), scope);
  return [...kept].filter(
    (name) =>
      Object.hasOwn(entity.inputs, name) &&
      !isBlankTyped(typed.get(name)) &&
      !isSameTyped(typed.get(name), now.get(name)),
  );
}

/** What was typed for a new record, in which what is kept from the person starts as it would for anybody. */
async function withStarts(
  scope: Scope,
  entity: Entity,
  typed: Typed,
  kept: ReadonlySet<string>,
): Promise<Typed> {
  if (kept.size === 0) return typed;
  const starts = writtenValues(entity, startValues(entity.inputs, scope), scope);
  const whole = new Map(typed);
  for (const name of kept) {
    whole.delete(name);
    const start = starts.get(name);
    if (start) whole.set(name, start);
  }
  const { starts: first = {}, blank = {} } = entity.conditionalFields;
  const formulas = Object.entries({ ...first, ...blank }).filter(([name]) => kept.has(name));
  return fillIn(scope, entity, Object.fromEntries(formulas), whole);
}

/** A saved record as values to save. */
function savedValues({ inputs }: Entity, row: Row): Values {
  return Object.fromEntries(
    Object.entries(inputs).map(([name, field]) => [
      name,
      isReferences(field) ? (row[name] as readonly Link[]).map(({ id }) => id) : row[name],
    ]),
  );
}

/** What is written of a record: not what is kept from the person, unless a rule says something else. */
export function withoutKept(made: Values, read: Values, kept: ReadonlySet<string>): Values {
  return Object.fromEntries(
    Object.entries(made).filter(([name, value]) => !kept.has(name) || value !== read[name]),
  );
}

/** The values of references that the form didn't offer, as they are saved. */
function unseenValues(
  scope: Scope,
  entity: Entity,
  typed: Typed,
  row: Row | undefined,
): ReadonlyMap<string, unknown> {
  const unseen = new Map<string, unknown>();
  const lost = row ? unseenReferences(entity, row) : [];
  for (const [name, field] of Object.entries(entity.inputs)) {
    if (isReference(field)) {
      const isLost = lost.includes(name) && isBlankTyped(typed.get(name));
      if (isOutOfSight(scope, field) || isLost) unseen.set(name, row?.[name] ?? null);
      // Links to what is out of sight are left alone where the others are replaced.
    } else if (isReferences(field) && isOutOfSight(scope, field)) unseen.set(name, []);
  }
  return unseen;
}

/** Whether a field refers to records of an entity that the person may not see at all. */
export function isOutOfSight(scope: Scope, { to }: { to: string }): boolean {
  return !scope.may("see", scope.entities.named(to));
}

/** The references of a record to records that whoever it was read for may not see. */
export function unseenReferences({ inputs }: Entity, row: Row): string[] {
  return Object.entries(inputs).flatMap(([name, field]) =>
    isReference(field) && row[name] && row[name.replace(/_id$/, "")] === null ? [name] : [],
  );
}
