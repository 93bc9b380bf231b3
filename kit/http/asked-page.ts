import type { Context } from "hono";

/** The page that an address asks for, of those that a list has: the first one, unless it says another. */
export function askedPage(c: Context): number {
  const [digits = "1"] = /^\d{1,6}$/.exec(c.req.query("page") ?? "") ?? [];
  return Math.max(1, Number(digits));
}
