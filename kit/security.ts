import type { MiddlewareHandler } from "hono";
import { bodyLimit } from "hono/body-limit";
import { csrf } from "hono/csrf";
import { secureHeaders } from "hono/secure-headers";

/** Refuses requests that name a host which this application isn't, so that no other name can be pointed at it. */
export function knownHosts(): MiddlewareHandler {
  const named = [process.env.HOST, ...(process.env.ALLOWED_HOSTS ?? "").split(",")];
  const more = named.map((host) => host?.trim().toLowerCase() ?? "").filter(Boolean);
  const allowed = new Set(["localhost", "127.0.0.1", "[::1]", ...more]);
  return async (c, next) => {
    const host = (c.req.header("host") ?? "").toLowerCase().replace(/:\d+$/, "");
    if (allowed.has(host)) return next();
    return c.text(
      "This application doesn't answer for that host. ALLOWED_HOSTS names those it does.\n",
      421,
    );
  };
}

/** What every answer and every request is held to, besides the host. */
export function protections(): MiddlewareHandler[] {
  return [
    secureHeaders({
      contentSecurityPolicy: {
        defaultSrc: ["'none'"],
        scriptSrc: ["'self'"],
        styleSrc: ["'self'"],
        imgSrc: ["'self'", "data:"],
        connectSrc: ["'self'"],
        formAction: ["'self'"],
        frameAncestors: ["'none'"],
        baseUri: ["'none'"],
      },
      xFrameOptions: "DENY",
      referrerPolicy: "same-origin",
      strictTransportSecurity: false,
    }),
    forChanges(csrf()),
    forChanges(bodyLimit({ maxSize: 2 * 1024 * 1024 })),
  ];
}

/** A protection that requests which only read have no need of. */
function forChanges(protection: MiddlewareHandler): MiddlewareHandler {
  return (c, next) => (c.req.method === "GET" ? next() : protection(c, next));
}
