import type { CompiledQuery, RawBuilder } from "kysely";
import type { Scope } from "../access/scope.ts";
import { type Entity, isComputed, isReference } from "../entity/entity.ts";

const statements = new WeakMap<Entity, Map<string, CompiledQuery | undefined>>();
const reached = new WeakMap<Entity, readonly Entity[]>();

/** Names of orders come from addresses, but only those that a list has; this is a bound all the same. */
const most = 200;

/**
 * Runs a statement on the rows of an entity. Where its text is the same for everybody of a language, it is made once for each `key`, and then
 * given other `values`: all that it binds, or one for each place where it binds it.
 */
export async function runCompiled<Found>(
  scope: Scope,
  entity: Entity,
  {
    key,
    values,
    made,
  }: { key: string; values: unknown[] | { each: unknown }; made: () => RawBuilder<Found> },
): Promise<Found[]> {
  if (!isSameForAll(scope, entity)) return (await made().execute(scope.db)).rows;
  const bound = ({ parameters }: CompiledQuery) =>
    Array.isArray(values) ? values : parameters.map(() => values.each);
  const known = statements.get(entity) ?? new Map<string, CompiledQuery | undefined>();
  statements.set(entity, known);
  // Records without a title are called by a word of the language.
  const place = `${scope.language} ${key}`;
  if (!known.has(place) && known.size < most) {
    const compiled = made().compile(scope.db);
    const isWhole = String(compiled.parameters) === String(bound(compiled));
    known.set(place, isWhole ? compiled : undefined);
  }
  const statement = known.get(place);
  if (!statement) return (await made().execute(scope.db)).rows;
  const { rows } = await scope.db.executeQuery<Found>({
    ...statement,
    parameters: bound(statement),
  } as CompiledQuery<Found>);
  return rows;
}

/** Whether nothing that is selected of an entity's rows depends on who asks, and when. */
function isSameForAll(scope: Scope, entity: Entity): boolean {
  for (const each of withReferences(scope, entity)) {
    if (!scope.seesAll(each)) return false;
  }
  return !hasComputed(scope, entity);
}

function hasComputed(scope: Scope, entity: Entity): boolean {
  return withReferences(scope, entity).some(({ fields }) => Object.values(fields).some(isComputed));
}

/** An entity and those that its titles may be made of. */
function withReferences(scope: Scope, entity: Entity): readonly Entity[] {
  const known = reached.get(entity);
  if (known) return known;
  const found = new Set([entity]);
  for (const { fields } of found) {
    for (const field of Object.values(fields)) {
      if (isReference(field)) found.add(scope.entities.named(field.to));
    }
  }
  const all = [...found];
  reached.set(entity, all);
  return all;
}
