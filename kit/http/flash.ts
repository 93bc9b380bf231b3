import type { Context } from "hono";
import { deleteCookie, getCookie, setCookie } from "hono/cookie";
import type { Scope } from "../access/scope.ts";
import { type Outcome, outcomeOf } from "../store/submissions.ts";

/**
 * Has the next page that this browser opens tell the result of a form. Only the form's token travels in a cookie:
 * what is said is in the database, where nobody can make it up and any copy of the server finds it.
 */
export function setFlash(c: Context, token: string): void {
  setCookie(c, "flash", token, { path: "/", httpOnly: true, sameSite: "Lax", maxAge: 60 });
}

/** Whether a browser is to be told the result of its last form. */
export function hasFlash(c: Context): boolean {
  return c.req.header("cookie")?.includes("flash=") ?? false;
}

/** The result of the last form, once. */
export async function takeFlash(c: Context, { db }: Scope): Promise<Outcome | undefined> {
  const token = getCookie(c, "flash");
  if (token === undefined) return undefined;
  deleteCookie(c, "flash", { path: "/" });
  return outcomeOf(db, token);
}
