import type { Context } from "hono";
import { localAddress } from "../entity/links.ts";

/** The address without the slashes at its end; undefined for one that has none, or leads elsewhere. */
export function plainAddress(c: Context): string | undefined {
  const { pathname, search } = new URL(c.req.url);
  if (!/[^/]\/+$/.test(pathname)) return undefined;
  return localAddress(pathname.replace(/\/+$/, "") + search);
}
