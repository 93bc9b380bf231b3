import type { HttpBindings } from "@hono/node-server";
import { Hono, type MiddlewareHandler } from "hono";
import { secureHeaders } from "hono/secure-headers";
import { type EmbeddedPage, embeddedAt } from "./embedded-page.ts";
import { isSecureAddress } from "./public-address.ts";

/**
 * Headers that tell browsers what a page may load, and who may frame it: for embedded pages, the sites that the model names.
 * An answer may have a policy of its own.
 */
export function protectiveHeaders(embedded: readonly EmbeddedPage[] = []): MiddlewareHandler {
  const usual = headersOf(usualHeaders());
  const framed = new Map(embedded.map((page) => [page, headersOf(usualHeaders(page.origins))]));
  return async (c, next) => {
    const page = embeddedAt(embedded, c.req.path);
    const headers = await ((page && framed.get(page)) ?? usual);
    const outgoing = (c.env as Partial<HttpBindings> | undefined)?.outgoing;
    // Given to the server itself: headers of a `Response` cost a third of a small answer.
    if (outgoing) {
      for (const [name, value] of headers) outgoing.setHeader(name, value);
      return next();
    }
    await next();
    for (const [name, value] of headers) {
      if (!c.res.headers.has(name)) c.res.headers.set(name, value);
    }
  };
}

/** The headers that a middleware sets, whatever the request. */
async function headersOf(middleware: MiddlewareHandler): Promise<[string, string][]> {
  const probe = new Hono().use(middleware).get("/", (c) => c.body(null));
  return [...(await probe.request("/")).headers];
}

/** The headers for pages that nobody may frame, or these origins. */
function usualHeaders(framedBy: readonly string[] = []): MiddlewareHandler {
  const isFramed = framedBy.length > 0;
  return secureHeaders({
    contentSecurityPolicy: {
      defaultSrc: ["'none'"],
      scriptSrc: ["'self'"],
      styleSrc: ["'self'"],
      imgSrc: ["'self'", "data:", "blob:"],
      connectSrc: ["'self'"],
      workerSrc: ["'self'"],
      manifestSrc: ["'self'"],
      formAction: ["'self'"],
      frameAncestors: isFramed ? ["'self'", ...framedBy] : ["'none'"],
      baseUri: ["'none'"],
    },
    xFrameOptions: isFramed ? false : "DENY",
    referrerPolicy: "same-origin",
    strictTransportSecurity: isSecureAddress() ? "max-age=31536000" : false,
    // For browsers and plug-ins that are no more.
    xXssProtection: false,
    xDownloadOptions: false,
    xPermittedCrossDomainPolicies: false,
    xDnsPrefetchControl: false,
  });
}
