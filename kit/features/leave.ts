import type { Context } from "hono";
import { setFlash } from "../http/flash.ts";
import type { Outcome } from "../store/submissions.ts";

/** Redirects to the page after a form, which tells the result. */
export function leave(c: Context, { token, outcome }: { token: string; outcome: Outcome }) {
  setFlash(c, token);
  return c.redirect(outcome.href, 303);
}
