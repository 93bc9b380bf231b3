import type { MiddlewareHandler } from "hono";
import { secureHeaders } from "hono/secure-headers";
import { isSecureAddress } from "./public-address.ts";

/** Headers that tell browsers what a page may load, and who may frame it. */
export function protectiveHeaders(): MiddlewareHandler {
  return secureHeaders({
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
    strictTransportSecurity: isSecureAddress() ? "max-age=31536000" : false,
    // For browsers and plug-ins that are no more.
    xXssProtection: false,
    xDownloadOptions: false,
    xPermittedCrossDomainPolicies: false,
    xDnsPrefetchControl: false,
  });
}
