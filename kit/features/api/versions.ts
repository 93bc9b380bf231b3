import { createHash } from "node:crypto";
import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import { Problem } from "../../http/problem.ts";

/**
 * The tag of a record as it is told: its version, and a digest of what is told, as that may differ although nobody saved
 * the record.
 */
export function tagOf(version: number, body: string): string {
  return `"${version}-${createHash("sha256").update(body).digest("hex").slice(0, 16)}"`;
}

/** Whether a request has what it asks for already (`If-None-Match`). */
export function hasAlready(c: Context, tag: string): boolean {
  const tags = (c.req.header("if-none-match") ?? "").split(",", 50).map((each) => each.trim());
  return tags.some((each) => each === "*" || each.replace(/^W\//, "") === tag);
}

/**
 * The version of a record that a change was made of (`If-Match`): `"3"`, or the whole tag of that version; `any` for `*`.
 * Throws a problem where there is none, or it is no version of a record.
 */
export function askedVersion(c: Context, { messages }: Scope): number | "any" {
  const given = c.req.header("if-match")?.trim();
  if (!given) throw new Problem("version-needed", messages.api.versionNeeded);
  if (given === "*") return "any";
  const [, version] = /^"(\d{1,15})(?:-[0-9a-f]{16})?"$/.exec(given) ?? [];
  if (version === undefined) throw new Problem("changed", messages.api.noVersion);
  return Number(version);
}
