import type { MiddlewareHandler } from "hono";

/** A protection that requests which only read have no need of. */
export function forChanges(protection: MiddlewareHandler): MiddlewareHandler {
  return (c, next) => (c.req.method === "GET" ? next() : protection(c, next));
}
