import type { Context } from "hono";
import { fieldsKept, requireOn } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { isFiles } from "../../fields/files.tsx";
import { filesIn } from "../../files/stored-file.ts";
import { askedPage } from "../../http/asked-page.ts";
import { Problem } from "../../http/problem.ts";
import { setArchived } from "../../store/archive.ts";
import { entriesOf } from "../../store/audit.ts";
import { conditions, countRows } from "../../store/list/conditions.ts";
import { orderKeys } from "../../store/list/order.ts";
import { rowsAt } from "../../store/list/picking.ts";
import { completed, findAnyRow } from "../../store/select.ts";
import type { Feature } from "../feature.ts";
import { serveFile } from "../files/serve.ts";
import { bytesOfForm, filesFields } from "../form/sent-record.ts";
import { apiAddress, linesAddress } from "./address.ts";
import { askedRow, askedRows } from "./asked-rows.ts";
import { writeLines } from "./lines.ts";
import { reportJson } from "./report-json.ts";
import { toldRows } from "./rows.ts";
import { askedOnce, mediaTypes, sentJson } from "./sent-json.ts";
import { takeFile } from "./take-file.ts";
import { askedVersion, hasAlready, tagOf } from "./versions.ts";
import { addRecord, changeRecord, deleteRecord, rowWith, type Written } from "./write.ts";

/** The records of an entity for programs: as JSON, with the rights, the checks and the log that people have. */
export function api<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  const list = apiAddress(entity);
  const one = `${list}/:id{[0-9]{1,15}}`;
  const needs = (action: "see" | "add" | "change" | "delete" | "history") => ({ action, entity });
  const routes: Feature["routes"] = [
    {
      method: "GET",
      path: list,
      needs: needs("see"),
      answer: (c, scope) => answerList(c, scope, entity),
    },
    {
      method: "GET",
      path: linesAddress(entity),
      needs: { action: "export", entity },
      answer: (c, scope) => writeLines(c, scope, entity),
    },
    {
      method: "POST",
      path: list,
      needs: needs("add"),
      answer: (c, scope) => answerAdd(c, scope, entity),
    },
    {
      method: "GET",
      path: `${list}/report`,
      needs: needs("see"),
      answer: (c, scope) => reportJson(c, scope, entity),
    },
    {
      method: "GET",
      path: one,
      needs: needs("see"),
      answer: async (c, scope) => {
        const told = askedRow(scope, entity, new URL(c.req.url).searchParams);
        const row = await rowWith(scope, entity, askedId(c), "any");
        return answerRow(c, scope, entity, row, told);
      },
    },
    {
      method: "PATCH",
      path: one,
      needs: needs("change"),
      answer: (c, scope) => answerChange(c, scope, entity),
    },
    {
      method: "DELETE",
      path: one,
      needs: needs("delete"),
      answer: (c, scope) => answerDelete(c, scope, entity),
    },
    {
      method: "GET",
      path: `${one}/history`,
      needs: needs("history"),
      answer: (c, scope) => answerHistory(c, scope, entity),
    },
  ];
  return { routes: [...routes, ...archiveRoutes(entity, one), ...filesRoutes(entity, list, one)] };
}

function archiveRoutes(entity: Entity, one: string): Feature["routes"] {
  if (!entity.archive) return [];
  return ([true, false] as const).map((archived) => ({
    method: archived ? ("PUT" as const) : ("DELETE" as const),
    path: `${one}/archived`,
    needs: { action: "change" as const, entity },
    answer: (c: Context, scope: Scope) => answerArchived(c, scope, entity, archived),
  }));
}

function filesRoutes(entity: Entity, list: string, one: string): Feature["routes"] {
  if (filesFields(entity).length === 0) return [];
  return [
    {
      method: "GET",
      path: `${one}/files/:field/:key`,
      needs: { action: "see", entity },
      answer: (c, scope) => answerFile(c, scope, entity),
    },
    {
      method: "POST",
      path: `${list}/files/:field`,
      needs: { action: "see", entity },
      bytes: bytesOfForm(entity),
      answer: (c, scope) => takeFile(c, scope, entity),
    },
  ];
}

function askedId(c: Context): number {
  return Number(c.req.param("id"));
}

async function answerList(c: Context, scope: Scope, entity: Entity) {
  const address = new URL(c.req.url);
  const { request, ...told } = askedRows(scope, entity, address.searchParams);
  const wanted = await conditions(scope, entity, request);
  const { after, size } = request;
  const place = after === undefined ? { skip: 0 } : { after };
  const keys = orderKeys(scope, entity, request.sort);
  const found = await rowsAt(scope, entity, { keys, wanted, place, size });
  if (!found) throw new Problem("query", scope.messages.api.wrongQuery, [placeGone(scope)]);
  const rows = (await completed(scope, entity, found.rows)) as Row[];
  const total = request.countsAll ? await countRows(scope, entity, wanted) : undefined;
  const last = found.more ? rows.at(-1) : undefined;
  const next = last && nextAddress(address, last.id);
  if (next) c.header("link", `<${next}>; rel="next"`);
  return c.json({
    rows: await toldRows(scope, entity, rows, told),
    next: next ?? null,
    ...(total !== undefined && { total }),
  });
}

function placeGone({ messages }: Scope) {
  return { parameter: "after", detail: messages.api.placeGone };
}

/** The address of the rows behind a record, from that of those before. */
function nextAddress({ pathname, searchParams }: URL, after: number): string {
  searchParams.set("after", String(after));
  return `${pathname}?${searchParams}`;
}

/** Answers with a record as it is told, and the tag by which a change names the version that it was made of. */
async function answerRow(
  c: Context,
  scope: Scope,
  entity: Entity,
  row: Row,
  told: Parameters<typeof toldRows>[3] = { only: undefined, along: [] },
  status: 200 | 201 = 200,
) {
  const [found] = await toldRows(scope, entity, [row], told);
  const body = JSON.stringify(found);
  const tag = tagOf(row.version, body);
  c.header("etag", tag);
  c.header("cache-control", "private, no-cache");
  if (c.req.method === "GET" && hasAlready(c, tag)) return c.body(null, 304);
  return c.body(body, status, { "content-type": mediaTypes.json });
}

/** Answers with a record that was written, as far as the person sees it. */
async function answerWritten(
  c: Context,
  scope: Scope,
  entity: Entity,
  written: Written,
  status: 200 | 201 = 200,
) {
  const isSeen = scope.may("see", entity);
  const row = isSeen ? await findAnyRow(scope, entity, written.id) : undefined;
  if (row) return answerRow(c, scope, entity, row, undefined, status);
  return c.json({ id: written.id, version: written.version }, status);
}

async function answerAdd(c: Context, scope: Scope, entity: Entity) {
  const body = await sentJson(c, scope);
  const written = await addRecord(scope, entity, body, await askedOnce(c, scope));
  c.header("location", `${encodeURI(apiAddress(entity))}/${written.id}`);
  return answerWritten(c, scope, entity, written, 201);
}

async function answerChange(c: Context, scope: Scope, entity: Entity) {
  const body = await sentJson(c, scope, [mediaTypes.patch, mediaTypes.json]);
  const asked = { id: askedId(c), version: askedVersion(c, scope) };
  const once = await askedOnce(c, scope);
  return answerWritten(c, scope, entity, await changeRecord(scope, entity, asked, body, once));
}

async function answerDelete(c: Context, scope: Scope, entity: Entity) {
  const parts = c.req.query("parts");
  if (parts !== undefined && parts !== "delete") {
    const wrong = [{ parameter: "parts", detail: scope.messages.api.partsDelete }];
    throw new Problem("query", scope.messages.api.wrongQuery, wrong);
  }
  const asked = { id: askedId(c), version: askedVersion(c, scope), withParts: parts === "delete" };
  await deleteRecord(scope, entity, asked, await askedOnce(c, scope));
  return c.body(null, 204);
}

async function answerArchived(c: Context, scope: Scope, entity: Entity, archived: boolean) {
  const row = await rowWith(scope, entity, askedId(c), askedVersion(c, scope));
  const why = await setArchived(scope, entity, row, archived);
  const { api, troubles } = scope.messages;
  if (why === "changed") throw new Problem("changed", api.changedSince);
  if (why === "taken") throw new Problem("conflict", api.taken);
  if (why) throw new Problem("away", troubles[why]);
  return answerWritten(c, scope, entity, row);
}

async function answerHistory(c: Context, scope: Scope, entity: Entity) {
  const row = await rowWith(scope, entity, askedId(c), "any");
  await requireOn(scope, "history", entity, row.id);
  const size = 50;
  const page = askedPage(c);
  const hidden = Object.keys(entity.fields).filter((name) => scope.isHidden(entity, name));
  const kept = await fieldsKept(scope, "see", entity, row.id);
  const { total, entries } = await entriesOf(scope, {
    entity: entity.table,
    record: row.id,
    without: new Set([...kept, ...hidden]),
    offset: (page - 1) * size,
    limit: size,
  });
  const told = entries.map(({ made_at, account_name, action, details }) => ({
    at: made_at,
    who: account_name,
    action,
    changes: JSON.parse(details) as unknown,
  }));
  return c.json({ entries: told, total, page, pages: Math.max(1, Math.ceil(total / size)) });
}

async function answerFile(c: Context, scope: Scope, entity: Entity) {
  const row = await rowWith(scope, entity, askedId(c), "any");
  const name = c.req.param("field") ?? "";
  const field = Object.hasOwn(entity.fields, name) ? entity.fields[name] : undefined;
  const isSeen = field && isFiles(field) && !scope.isHidden(entity, name);
  const files = isSeen ? filesIn(row[name]) : [];
  const file = files.find(({ key }) => key === c.req.param("key"));
  if (!file) throw new Problem("not-found", scope.messages.nothingHere);
  return serveFile(c, scope, file);
}
