import type { MiddlewareHandler } from "hono";
import { publicAddress } from "./public-address.ts";

/** Refuses requests that name a host which this application isn't, so that no other name can be pointed at it. */
export function knownHosts(): MiddlewareHandler {
  const named = [
    process.env.HOST,
    publicAddress()?.hostname,
    ...(process.env.HOST_NAMES ?? "").split(","),
  ];
  const more = named.map((host) => host?.trim().toLowerCase() ?? "").filter(Boolean);
  const allowed = new Set(["localhost", "127.0.0.1", "[::1]", ...more]);
  return async (c, next) => {
    const host = (c.req.header("host") ?? "").toLowerCase().replace(/:\d+$/, "");
    // A request may name its host a second time, in the address that it asks for.
    const named =
      c.req.url.startsWith(`http://${host}/`) || c.req.url.startsWith(`http://${host}:`);
    if (allowed.has(host) && (named || allowed.has(new URL(c.req.url).hostname))) return next();
    return c.text(
      "This application doesn't answer for that host. HOST_NAMES names those it does.\n",
      421,
    );
  };
}
