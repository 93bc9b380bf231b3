import type { Context, MiddlewareHandler } from "hono";
import { cors } from "hono/cors";
import { isApi } from "./problem.ts";

/** Lets scripts of other origins ask for data, of those that API_ORIGINS names: `https://maps.example,https://…`. */
export function crossOrigin(): MiddlewareHandler {
  const answer = cors({
    origin: (origin) => (namedOrigins().has(origin) ? origin : null),
    allowMethods: ["GET", "POST", "PUT", "PATCH", "DELETE"],
    allowHeaders: ["Authorization", "Content-Type", "If-Match", "If-None-Match", "Idempotency-Key"],
    exposeHeaders: ["ETag", "Link", "Location", "Retry-After"],
    maxAge: 600,
  });
  return (c, next) => (isApi(c.req.path) && namedOrigins().size > 0 ? answer(c, next) : next());
}

/** Whether a script of another origin sends a request, and may. */
export function isNamedOrigin(c: Context): boolean {
  const origin = c.req.header("origin");
  return origin !== undefined && namedOrigins().has(origin);
}

/** The origins of the setting, which is read once. */
let known: ReadonlySet<string> | undefined;

function namedOrigins(): ReadonlySet<string> {
  known ??= new Set(
    (process.env.API_ORIGINS ?? "")
      .split(",")
      .flatMap((each) => (URL.canParse(each.trim()) ? new URL(each.trim()).origin : [])),
  );
  return known;
}
