import type { Context } from "hono";

/** The token that a request carries in its header (RFC 6750); undefined where it has none. */
export function bearerOf(c: Context): string | undefined {
  const [, token] =
    /^Bearer +([\w.~+/=-]{1,8000}) *$/i.exec(c.req.header("authorization") ?? "") ?? [];
  return token;
}
