import { extname } from "node:path";
import type { Loader } from "esbuild";

const loaders: Readonly<Record<string, Loader>> = {
  ".ts": "ts",
  ".tsx": "tsx",
  ".css": "css",
  ".json": "json",
};

/** Whether a text can be read as what the name of its file says; a text of any other kind always can. */
export async function parses(path: string, text: string): Promise<boolean> {
  const loader = loaders[extname(path)];
  if (!loader) return true;
  // Loaded where something was joined, which few builds do.
  const { transform } = await import("esbuild");
  try {
    await transform(text, { loader, jsx: "preserve", logLevel: "silent" });
    return true;
  } catch {
    return false;
  }
}
