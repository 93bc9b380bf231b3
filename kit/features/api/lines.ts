import { Readable } from "node:stream";
import type { Context } from "hono";
import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { isReference } from "../../entity/entity.ts";
import { noteEvent } from "../../store/audit.ts";
import { conditions, where } from "../../store/list/conditions.ts";
import { logError } from "../../store/log.ts";
import { completed, selection } from "../../store/select.ts";
import { type AskedRows, askedRows } from "./asked-rows.ts";
import { telling, toldRows } from "./rows.ts";
import { mediaTypes } from "./sent-json.ts";
import { linkName, seenFields } from "./shapes.ts";

/** How many rows are read at a time. */
const atOnce = 2000;

/**
 * Answers with all rows that a list finds, by their numbers, one a line. They are read and sent some at a time, so that
 * they are never in memory together. Titles of other records are only there where they are asked for.
 */
export function writeLines(c: Context, scope: Scope, entity: Entity): Response {
  const { searchParams: query } = new URL(c.req.url);
  const asked = askedRows(scope, entity, query, ["after"]);
  const only = asked.only ?? plainMembers(scope, entity, asked.along);
  const lines = Readable.from(linesOf(scope, entity, { ...asked, only }));
  lines.on("error", (error) => logError(error, `sending all of ${entity.table}`));
  return c.body(Readable.toWeb(lines) as ReadableStream, 200, {
    "content-type": mediaTypes.lines,
  });
}

/** All members but links and titles, for which other tables would be asked. */
function plainMembers(scope: Scope, entity: Entity, along: readonly string[]): ReadonlySet<string> {
  const names = seenFields(scope, entity).map(([name]) => name);
  return new Set(["created_at", "updated_at", ...names, ...along]);
}

async function* linesOf(
  scope: Scope,
  entity: Entity,
  { request, only, along }: AskedRows & { only: ReadonlySet<string> },
): AsyncGenerator<Buffer> {
  const wanted = await conditions(scope, entity, request);
  const id = sql.ref(`${entity.table}.id`);
  const chosen = selectedFor(entity, only, along);
  const tell = along.length === 0 ? telling(scope, entity, only) : undefined;
  let last = request.after ?? 0;
  let sent = 0;
  try {
    for (;;) {
      const behind = [...wanted, sql`${id} > ${last}`] as RawBuilder<unknown>[];
      const { rows } = await sql<Record<string, unknown>>`
        select ${selection(scope, entity, chosen.only, chosen.titles)}
        from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}
        ${where(behind)} order by ${id} limit ${sql.lit(atOnce)}`.execute(scope.db);
      const some = (await completed(scope, entity, rows, chosen.only)) as Row[];
      const told = tell ? some.map(tell) : await toldRows(scope, entity, some, { only, along });
      if (told.length > 0) {
        yield Buffer.from(`${told.map((row) => JSON.stringify(row)).join("\n")}\n`);
      }
      sent += told.length;
      last = some.at(-1)?.id ?? last;
      if (some.length < atOnce) break;
    }
  } finally {
    const { query } = request;
    const what = { rows: sent, format: "ndjson", query: query.toString().slice(0, 500) };
    await noteEvent(scope, "export", { table: entity.table, ...what });
  }
}

/** The fields that have to be read for some members, and whether titles have to. */
function selectedFor(entity: Entity, only: ReadonlySet<string>, along: readonly string[]) {
  const isAsked = (name: string) => only.has(name) || along.includes(name);
  const links = Object.entries(entity.fields).filter(([name, field]) => {
    return isReference(field) && isAsked(linkName(name));
  });
  const titles = new Set(links.map(([name]) => name));
  if (only.has("displayTitle")) titles.add("displayTitle");
  return { only: new Set(["version", ...only, ...along, ...titles]), titles };
}
