import { sql } from "kysely";
import type { Action } from "../../access/action.ts";
import type { Scope } from "../../access/scope.ts";
import { isAmong } from "../../database/current-dialect.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { completed, selection } from "../select.ts";
import { type Condition, conditions, where } from "./conditions.ts";
import { groupedKeys } from "./groups.ts";
import { columnNamed, orderBy, sortColumn, sortOf, type Term } from "./order.ts";
import type { ListRequest } from "./request.ts";

/** How many rows are read at a time. */
const atOnce = 500;

/** The numbers of all rows of a list with which somebody may do something, in its order; of some of them, if they are named. */
export async function everyId(
  scope: Scope,
  entity: Entity,
  request: ListRequest,
  action: Action,
  among?: readonly number[],
): Promise<number[]> {
  if (among?.length === 0) return [];
  const { table } = entity;
  const id = sql.ref(`${table}.id`);
  const terms = groupedKeys(scope, entity, request).map((key) => {
    const by = sortOf(entity, columnNamed(entity, key.replace(/^-/, "")));
    return { by, descending: key.startsWith("-") };
  });
  const columns = terms.flatMap(({ by }, at) =>
    by?.computed ? [sql`${by.computed(scope)} as ${sql.ref(sortColumn(at))}`] : [],
  );
  const order = terms.map(({ by, descending }, at): Term => {
    const column = by?.computed ? sortColumn(at) : (by?.column ?? `${table}.id`);
    return { column, descending, text: by?.text ?? false };
  });
  const tie = { column: `${table}.id`, descending: terms[0]?.descending ?? false, text: false };
  // What may be done with records depends on all of them, also on what isn't seen.
  const limits = scope.policy.limits?.(scope, action, entity);
  const named = among ? [sql`${id} in (${sql.join([...among])})` as Condition] : [];
  const allowed: Condition[] = limits
    ? [
        sql`${id} in (select ${id} from ${scope.seeingAll().rowsOf(entity)} as ${sql.table(table)} where ${limits})` as Condition,
      ]
    : [];
  const wanted = [...(await conditions(scope, entity, request)), ...named, ...allowed];
  const { rows } = await sql<{ id: number }>`
    select ${sql.join([id, ...columns])} from ${scope.rowsOf(entity)} as ${sql.table(table)}
    ${where(wanted)} order by ${orderBy([...order, tie])}`.execute(scope.db);
  return rows.map((row) => row.id);
}

/**
 * The rows with some numbers, in their order, some at a time; what is gone by then is missing. They have all fields, or those
 * that `only` names.
 */
export async function* rowsWith(
  scope: Scope,
  entity: Entity,
  ids: readonly number[],
  only?: ReadonlySet<string>,
): AsyncGenerator<Row[]> {
  const id = sql.ref(`${entity.table}.id`);
  for (let at = 0; at < ids.length; at += atOnce) {
    const some = ids.slice(at, at + atOnce);
    const { rows } = await sql<Record<string, unknown>>`
      select ${selection(scope, entity, only)} from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}
      where ${isAmong(id, some)}`.execute(scope.db);
    const found = new Map(
      (await completed(scope, entity, rows, only)).map((row) => [row.id, row as Row]),
    );
    yield some.flatMap((each) => found.get(each) ?? []);
  }
}
