import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { ownerOnly } from "./project/files.ts";

/** Writes a page into a file that only its owner can read, and opens it in the browser where there is one. Returns the path. */
export async function openPage(page: string): Promise<string> {
  const path = join(mkdtempSync(join(tmpdir(), "levadura-preview-")), "preview.html");
  writeFileSync(path, page, { mode: ownerOnly.file });
  // Loaded only when it is asked for.
  const { default: open } = await import("open");
  const browser = await open(path).catch(() => undefined);
  // Where there is none, the path is all there is.
  browser?.on("error", () => undefined);
  return path;
}
