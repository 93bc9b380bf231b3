import { Readable } from "node:stream";
import type { ReadableStream } from "node:stream/web";
import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { Problem } from "../../http/problem.ts";
import { forgetUploads } from "../../store/uploads.ts";
import { filesFields, takeSent } from "../form/sent-record.ts";
import { givingOf } from "./json-values.ts";
import { askedFields } from "./shapes.ts";

/**
 * Takes a file in, whose content is the body of the request and whose name is in the address (`?name=`). A record is given
 * it by its key, within a day.
 */
export async function takeFile(c: Context, scope: Scope, entity: Entity): Promise<Response> {
  const { messages } = scope;
  const name = c.req.param("field") ?? "";
  const asked = { ...askedFields(scope, entity, "add"), ...askedFields(scope, entity, "change") };
  const may = scope.may("add", entity) || scope.may("change", entity);
  const [, field] = filesFields(entity).find(([each]) => each === name) ?? [];
  if (!field || !may || !Object.hasOwn(asked, name)) {
    throw new Problem("not-found", messages.nothingHere);
  }
  const { body } = c.req.raw;
  if (!body) throw new Problem("unreadable", messages.files.empty);
  await forgetUploads(scope.db, scope.files);
  const content = Readable.fromWeb(body as ReadableStream);
  const taken = await takeSent(scope, field, content, c.req.query("name") ?? "");
  if ("refused" in taken) {
    const tooLarge = taken.why === "too large";
    throw new Problem(tooLarge ? "too-large" : "invalid", taken.refused);
  }
  const [told] = givingOf(field)(JSON.stringify([taken.file])) as unknown[];
  return c.json(told as object, 201);
}
