import type { Context, MiddlewareHandler } from "hono";
import { csrf } from "hono/csrf";
import { HTTPException } from "hono/http-exception";
import { bearerOf } from "./bearer.ts";
import { isNamedOrigin } from "./cross-origin.ts";
import { forChanges } from "./for-changes.ts";
import { isApi } from "./problem.ts";
import { publicAddress } from "./public-address.ts";

/**
 * Refuses what a page of another origin sends: forms, and whatever else scripts send. Behind a proxy, pages have the
 * public address, which isn't the one that requests come to.
 */
export function sameOrigin(): MiddlewareHandler {
  const known = publicAddress()?.origin;
  const isOwn = (origin: string, c: Context) =>
    origin === known || origin === new URL(c.req.url).origin;
  const forms = csrf({ origin: isOwn });
  return forChanges((c, next) => {
    if (isApi(c.req.path) && isNoPage(c)) return next();
    const origin = c.req.header("origin");
    const isStrange = origin !== undefined && !isOwn(origin, c);
    if (isStrange && c.req.header("sec-fetch-site") !== "same-origin") throw new HTTPException(403);
    return forms(c, next);
  });
}

/** Whether no page of a strange origin can have sent a request: no browser sends a token by itself, or hides its origin. */
function isNoPage(c: Context): boolean {
  const isBrowser = c.req.header("origin") ?? c.req.header("sec-fetch-site");
  return bearerOf(c) !== undefined || isNamedOrigin(c) || isBrowser === undefined;
}
