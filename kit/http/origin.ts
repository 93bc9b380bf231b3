import type { MiddlewareHandler } from "hono";
import { csrf } from "hono/csrf";
import { forChanges } from "./for-changes.ts";

/** Refuses forms that a page of another origin sends. */
export function sameOrigin(): MiddlewareHandler {
  return forChanges(csrf());
}
