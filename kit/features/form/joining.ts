import * as z from "zod";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { isSameTyped, type Typed } from "../../entity/typed.ts";
import { isFiles } from "../../fields/files.tsx";

/** What somebody typed, joined with what somebody else saved meanwhile. */
export interface Joined {
  values: Typed;
  /** The fields that only the other one changed, which are taken over. */
  theirs: readonly string[];
  /** The fields that both changed, each to something else: what was typed is in `values`. */
  conflicts: readonly string[];
}

/** The three states that are joined, as texts: what the form began with, what was typed, and what is saved by now. */
export interface States {
  was: Typed;
  typed: Typed;
  saved: Typed;
}

/** Joins two changes of one record, field by field; those in `fixed` stay as they were typed. */
export function joinChanges(
  scope: Scope,
  entity: Entity,
  { was, typed, saved }: States,
  fixed: ReadonlySet<string>,
): Joined {
  const values = new Map(typed);
  const theirs: string[] = [];
  const conflicts: string[] = [];
  for (const name of Object.keys(entity.inputs)) {
    if (fixed.has(name)) continue;
    const [before, own, other] = [was, typed, saved].map((state) => state.get(name));
    const same = (one: readonly string[] = [], two: readonly string[] = []) =>
      isSameValue(scope, entity, name, one, two);
    if (same(own, other) || same(other, before)) continue;
    if (!same(own, before)) conflicts.push(name);
    else {
      theirs.push(name);
      if (other) values.set(name, other);
      else values.delete(name);
    }
  }
  return { values, theirs, conflicts };
}

/** What a form began with, as it carries it; undefined where it carries none that can be. */
export function readBeginning(text: string): Typed | undefined {
  try {
    return new Map(Object.entries(beginning.parse(JSON.parse(text))));
  } catch {
    return undefined;
  }
}

const beginning = z.record(z.string(), z.array(z.string()));

/** Whether two texts say the same in a field, however they are written. */
function isSameValue(
  scope: Scope,
  entity: Entity,
  name: string,
  one: readonly string[],
  other: readonly string[],
): boolean {
  if (isSameTyped(one, other)) return true;
  const field = entity.inputs[name];
  if (!field) return false;
  if (isFiles(field)) {
    return isSameTyped(
      one.flatMap((text) => text.split(" ")),
      other.flatMap((text) => text.split(" ")),
    );
  }
  const [first, second] = [field.read(one, scope), field.read(other, scope)];
  if ("error" in first || "error" in second) return false;
  return JSON.stringify(first.value) === JSON.stringify(second.value);
}
