import type { Context } from "hono";

/**
 * The network address of whoever sends a request; blank where nobody knows. Behind a proxy it is what the proxy says, if
 * TRUST_FORWARDED is `yes`; otherwise anybody could say anything there.
 */
export function clientAddress(c: Context): string {
  if (process.env.TRUST_FORWARDED === "yes") {
    const [last = ""] = (c.req.header("x-forwarded-for") ?? "").split(",").slice(-1);
    if (last.trim() !== "") return last.trim();
  }
  const { incoming } = (c.env ?? {}) as { incoming?: { socket?: { remoteAddress?: string } } };
  return incoming?.socket?.remoteAddress ?? "";
}
