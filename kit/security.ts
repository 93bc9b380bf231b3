import type { Context, MiddlewareHandler } from "hono";
import { bodyLimit } from "hono/body-limit";
import { csrf } from "hono/csrf";
import { HTTPException } from "hono/http-exception";
import { secureHeaders } from "hono/secure-headers";
import { localAddress } from "./links.ts";

/** Refuses requests that name a host which this application isn't, so that no other name can be pointed at it. */
export function knownHosts(): MiddlewareHandler {
  const named = [process.env.HOST, ...(process.env.HOST_NAMES ?? "").split(",")];
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

/** The address without the slashes at its end; undefined for one that has none, or leads elsewhere. */
export function plainAddress(c: Context): string | undefined {
  const { pathname, search } = new URL(c.req.url);
  if (!/[^/]\/+$/.test(pathname)) return undefined;
  return localAddress(pathname.replace(/\/+$/, "") + search);
}

/** What every answer and every request is checked by, besides the host. */
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
      // For browsers and plug-ins that are no more.
      xXssProtection: false,
      xDownloadOptions: false,
      xPermittedCrossDomainPolicies: false,
      xDnsPrefetchControl: false,
    }),
    forChanges(csrf()),
    forChanges(bodyLimit({ maxSize: mostBytes, onError: refuseBody })),
  ];
}

/** The most bytes of a form. */
const mostBytes = 2 * 1024 * 1024;

/** Refuses a body that is too large. It is read to its end, if that isn't far, or browsers don't show the answer. */
async function refuseBody(c: Context): Promise<never> {
  const { body } = c.req.raw;
  let read = 0;
  if (body && !body.locked) {
    for await (const chunk of body as unknown as AsyncIterable<Uint8Array>) {
      read += chunk.length;
      if (read > 16 * mostBytes) break;
    }
  }
  throw new HTTPException(413);
}

/** A protection that requests which only read have no need of. */
function forChanges(protection: MiddlewareHandler): MiddlewareHandler {
  return (c, next) => (c.req.method === "GET" ? next() : protection(c, next));
}
