import type { Context, MiddlewareHandler } from "hono";
import { bodyLimit } from "hono/body-limit";
import { HTTPException } from "hono/http-exception";
import { forChanges } from "./for-changes.ts";

/** The most bytes of a form without files. */
export const mostBytes = 2 * 1024 * 1024;

/** Refuses bodies that are too large. */
export function limitedBody(maxSize = mostBytes): MiddlewareHandler {
  return forChanges(bodyLimit({ maxSize, onError: refuseBody }));
}

/** Refuses a body that is too large. It is read to its end, if that isn't far, or browsers don't show the answer. */
async function refuseBody(c: Context): Promise<never> {
  const { body } = c.req.raw;
  let read = 0;
  if (body && !body.locked) {
    for await (const chunk of body as unknown as AsyncIterable<Uint8Array>) {
      read += chunk.length;
      if (read > 16 * mostBytes) break;
    }
  }
  throw new HTTPException(413);
}
