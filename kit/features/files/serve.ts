import { Readable } from "node:stream";
import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import { pictureSizes } from "../../files/file-store.ts";
import { pictureTypes } from "../../files/pictures.ts";
import { isPicture, type StoredFile } from "../../files/stored-file.ts";
import { disposition } from "../../http/disposition.ts";

/** What browsers may show in a page of their own; all else is saved to the disk. */
const shown: ReadonlySet<string> = new Set([...pictureTypes, "application/pdf", "text/plain"]);

/**
 * Answers with the content of a file that the person may see, or with a smaller picture of it: `?as=small`, `?as=large`.
 * Whatever it is, nothing in it runs: its type is the one that was found in it, and it has no rights in the browser.
 */
export async function serveFile(c: Context, scope: Scope, file: StoredFile): Promise<Response> {
  const asked = c.req.query("as") ?? "";
  const isSmaller = isPicture(file) && Object.hasOwn(pictureSizes, asked);
  const name = isSmaller ? `${file.key}.${asked}` : file.key;
  const tag = `"${name}"`;
  // Under a key there is always the same content; whether the person still sees it is asked each time.
  c.header("cache-control", "private, no-cache");
  c.header("etag", tag);
  if (c.req.header("if-none-match") === tag) return c.body(null, 304);
  const found = await scope.files.read(name);
  if (!found) return c.notFound();
  const type = isSmaller ? "image/webp" : file.type;
  const isShown = shown.has(type) && c.req.query("as") !== "download";
  c.header("content-type", isShown ? withLetters(type) : "application/octet-stream");
  c.header("content-length", String(found.bytes));
  c.header("content-disposition", disposition(isShown ? "inline" : "attachment", file.name));
  c.header("content-security-policy", "default-src 'none'; frame-ancestors 'none'; sandbox");
  c.header("x-content-type-options", "nosniff");
  if (c.req.method === "HEAD") {
    found.content.destroy();
    return c.body(null);
  }
  return c.body(Readable.toWeb(found.content) as ReadableStream);
}

function withLetters(type: string): string {
  return type === "text/plain" ? "text/plain; charset=utf-8" : type;
}
