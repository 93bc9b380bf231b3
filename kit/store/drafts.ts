import { fieldsKept } from "../access/row-rights.ts";
import type { Scope } from "../access/scope.ts";
import type { Entity, Row } from "../entity/entity.ts";
import {
  isBlankTyped,
  isSameTyped,
  rightValues,
  startValues,
  type Typed,
  writtenValues,
} from "../entity/typed.ts";
import { fillIn, stateOf } from "./conditional-fields.ts";

/** All that is typed of a record, and what of it isn't asked for as things stand. */
export interface Draft {
  typed: Typed;
  unasked: readonly string[];
}

/** What a record becomes where some of its fields change and the others stay as they are. */
export async function changedDraft(
  scope: Scope,
  entity: Entity,
  row: Row,
  changes: Typed,
): Promise<Draft> {
  const before = writtenValues(entity, row, scope);
  const typed = new Map([...before, ...changes]);
  return { typed, unasked: await unaskedOf(scope, entity, typed, { before, changes, there: row }) };
}

/** A new record with some of its fields, and with what the others start with or are filled in with. */
export async function newDraft(scope: Scope, entity: Entity, given: Typed): Promise<Draft> {
  const starts = startValues(entity.inputs, scope);
  const before = writtenValues(entity, starts, scope);
  const begun = await filledIn(scope, entity, "starts", before);
  const typed = await filledIn(scope, entity, "blank", new Map([...begun, ...given]));
  return {
    typed,
    unasked: await unaskedOf(scope, entity, typed, { before, changes: given, there: starts }),
  };
}

/** Fills in what a new record starts with, or what is left blank in one, of the fields that the person may fill in. */
export async function filledIn(
  scope: Scope,
  entity: Entity,
  when: "starts" | "blank",
  values: Typed,
): Promise<Typed> {
  const kept = await fieldsKept(scope, "add", entity);
  const formulas = Object.entries(entity.conditionalFields[when] ?? {});
  const asked = formulas.filter(([name]) => when === "starts" || !kept.has(name));
  return fillIn(scope, entity, Object.fromEntries(asked), values);
}

/** Those that were changed although no form would ask for them. */
async function unaskedOf(
  scope: Scope,
  entity: Entity,
  typed: Typed,
  { before, changes, there }: { before: Typed; changes: Typed; there: object },
): Promise<string[]> {
  if (!entity.conditionalFields.shown) return [];
  const values = { ...there, ...rightValues(entity, typed, scope) };
  const { shown } = await stateOf(scope, entity, values);
  return [...changes.keys()].filter(
    (name) =>
      shown[name] === false &&
      !isBlankTyped(typed.get(name)) &&
      !isSameTyped(typed.get(name), before.get(name)),
  );
}
