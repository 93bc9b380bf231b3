import type { MiddlewareHandler } from "hono";
import { csrf } from "hono/csrf";
import { forChanges } from "./for-changes.ts";
import { publicAddress } from "./public-address.ts";

/**
 * Refuses forms that a page of another origin sends. Behind a proxy, pages have the public address, which isn't the
 * one that requests come to.
 */
export function sameOrigin(): MiddlewareHandler {
  const known = publicAddress()?.origin;
  return forChanges(
    csrf({ origin: (origin, c) => origin === known || origin === new URL(c.req.url).origin }),
  );
}
