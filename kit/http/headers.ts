import type { MiddlewareHandler } from "hono";
import { secureHeaders } from "hono/secure-headers";
import { isSecureAddress } from "./public-address.ts";

/** Headers that tell browsers what a page may load, and who may frame it. An answer may have a policy of its own. */
export function protectiveHeaders(): MiddlewareHandler {
  const usual = usualHeaders();
  return async (c, next) => {
    let own: string | null = null;
    await usual(c, async () => {
      await next();
      own = c.res.headers.get(policy);
    });
    if (own !== null) c.res.headers.set(policy, own);
  };
}

const policy = "content-security-policy";

function usualHeaders(): MiddlewareHandler {
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
