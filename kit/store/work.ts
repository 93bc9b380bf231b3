import { randomUUID } from "node:crypto";
import { sql } from "kysely";
import * as z from "zod";
import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import { atSecond } from "../formula/zones.ts";
import { logError } from "./log.ts";
import { asciiJson } from "./submissions.ts";
import { noteWritten } from "./written.ts";

/**
 * Work on many records that goes on after its request, one record at a time. How far it is stands in the database, so that
 * any process of the application can show it, or ask for its end.
 */
const table = "levadura_work";

/** A record that was left as it was, and why. */
const refusal = z.object({ id: z.number(), title: z.string(), why: z.string() });
export type Refusal = z.infer<typeof refusal>;

/** How far some work is. */
export interface Work {
  id: string;
  /** `lost` where the process that did it ended in the middle. */
  state: "running" | "stopping" | "done" | "stopped" | "failed" | "lost";
  action: string;
  total: number;
  /** The records that were gone through, those that were left as they were among them. */
  tried: number;
  refused: number;
  /** The first of those, with the reasons. */
  refusals: Refusal[];
}

/** What is to be done with each of some records; the reason where it isn't, and nothing for a record that is gone. */
export interface Task {
  action: string;
  ids: readonly number[];
  one(scope: Scope, id: number): Promise<Refusal | "done" | "gone">;
}

/** The most refusals that are kept with their reasons. */
const mostRefusals = 200;

/** How often work says how far it is, and looks whether it is to stop; and when it counts as lost; in milliseconds. */
const beat = { every: 500, lost: 30_000 };

/** How long it is remembered, in milliseconds. */
const kept = 24 * 60 * 60 * 1000;

/** How much of it one process does at a time. */
const mostAtOnce = 2;
const running = new Set<Promise<void>>();
let isEnding = false;

/** Begins some work, and gives its name; undefined where there is enough to do already. */
export async function beginWork(
  scope: Scope,
  entity: Entity,
  task: Task,
): Promise<string | undefined> {
  if (running.size >= mostAtOnce || isEnding) return undefined;
  const id = randomUUID();
  await sql`delete from ${sql.table(table)} where beat_at < ${moment(-kept)}`.execute(scope.db);
  await sql`insert into ${sql.table(table)}
    (id, person, entity_table, action, state, total, tried, refused, refusals, beat_at) values
    (${id}, ${scope.person?.id ?? 0}, ${entity.table}, ${task.action}, 'running', ${task.ids.length}, 0, 0, '[]', ${moment()})`.execute(
    scope.db,
  );
  const work = go(scope, id, task).finally(() => running.delete(work));
  running.add(work);
  return id;
}

/** The work of a name that the same person began on an entity; undefined where there is none. */
export async function findWork(
  scope: Scope,
  entity: Entity,
  id: string,
): Promise<Work | undefined> {
  const { rows } = await sql<
    Omit<Work, "refusals"> & { refusals: string; beat_at: string }
  >`select * from ${sql.table(table)} where ${mine(scope, entity, id)}`.execute(scope.db);
  const [found] = rows;
  if (!found) return undefined;
  const isOver = found.state !== "running" && found.state !== "stopping";
  return {
    id: found.id,
    action: found.action,
    state: isOver || found.beat_at > moment(-beat.lost) ? found.state : "lost",
    total: Number(found.total),
    tried: Number(found.tried),
    refused: Number(found.refused),
    refusals: z.array(refusal).parse(JSON.parse(found.refusals)),
  };
}

/** Asks some work to stop behind the record that it is at. */
export async function stopWork(scope: Scope, entity: Entity, id: string): Promise<void> {
  await sql`update ${sql.table(table)} set state = 'stopping'
    where ${mine(scope, entity, id)} and state = 'running'`.execute(scope.db);
}

/** Stops all work of this process, which is about to end, behind the records that it is at. */
export async function endWork(): Promise<void> {
  isEnding = true;
  await Promise.all(running);
}

function mine({ person }: Scope, entity: Entity, id: string) {
  return sql`id = ${id} and person = ${person?.id ?? 0} and entity_table = ${entity.table}`;
}

async function go(scope: Scope, id: string, { ids, one }: Task): Promise<void> {
  const so = { tried: 0, refused: 0, refusals: [] as Refusal[] };
  let said = Date.now();
  let state: Work["state"] = "done";
  try {
    for (const record of ids) {
      const came = await one(scope.later(), record);
      so.tried++;
      if (typeof came === "object") {
        so.refused++;
        if (so.refusals.length < mostRefusals) so.refusals.push(came);
      }
      // Requests have their turn between two records.
      await new Promise((resolve) => setImmediate(resolve));
      const isLast = so.tried === ids.length;
      if (isLast || (!isEnding && Date.now() - said < beat.every)) continue;
      said = Date.now();
      if (isEnding || (await say(scope, id, "running", so))) {
        state = "stopped";
        break;
      }
    }
  } catch (error) {
    state = "failed";
    logError(error, "work on many records");
  }
  await noteWritten(scope);
  await say(scope, id, state, so).catch((error) => logError(error, "work on many records"));
}

/** Says how far some work is; true where it is asked to stop. */
async function say(
  { db }: Scope,
  id: string,
  state: Work["state"],
  { tried, refused, refusals }: Pick<Work, "tried" | "refused" | "refusals">,
): Promise<boolean> {
  const goesOn = state === "running";
  const { numAffectedRows } = await sql`update ${sql.table(table)} set tried = ${tried},
    refused = ${refused}, refusals = ${asciiJson(refusals)}, beat_at = ${moment()}
    ${goesOn ? sql`` : sql`, state = ${state}`}
    where id = ${id} ${goesOn ? sql`and state = 'running'` : sql``}`.execute(db);
  return goesOn && numAffectedRows === 0n;
}

function moment(from = 0): string {
  return atSecond(Date.now() + from);
}
