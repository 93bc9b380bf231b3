import type { Context } from "hono";
import { deleteCookie, getCookie, setCookie } from "hono/cookie";
import { z } from "zod";

/** What the next page says at its top, once. */
const notice = z.object({
  text: z.string().max(300),
  link: z.object({ text: z.string().max(300), href: z.string().startsWith("/") }).optional(),
});
export type Notice = z.infer<typeof notice>;

/** Leaves a notice for the next page that this browser opens. It travels in a cookie, so that any copy of the server can show it. */
export function leaveNotice(c: Context, left: Notice): void {
  const value = Buffer.from(JSON.stringify(left)).toString("base64url");
  setCookie(c, "notice", value, { path: "/", httpOnly: true, sameSite: "Lax", maxAge: 60 });
}

/** The notice that was left for this page, which takes it away. */
export function takeNotice(c: Context): Notice | undefined {
  const value = getCookie(c, "notice");
  if (value === undefined) return undefined;
  deleteCookie(c, "notice", { path: "/" });
  try {
    return notice.parse(JSON.parse(Buffer.from(value, "base64url").toString()));
  } catch {
    return undefined;
  }
}
