import { readFile } from "node:fs/promises";
import type { Feature } from "../features/feature.ts";

const types: Readonly<Record<string, string>> = {
  css: "text/css; charset=utf-8",
  js: "text/javascript; charset=utf-8",
  svg: "image/svg+xml",
};

/** What the build put into the folder `assets` beside the server. */
export const assets: Feature = {
  routes: [
    {
      method: "GET",
      path: "/-/assets/:file{[a-z]+\\.(css|js|svg)}",
      needs: "nothing",
      answer: async (c) => {
        const name = c.req.param("file") ?? "";
        try {
          const content = await readFile(new URL(`./assets/${name}`, import.meta.url));
          const type = types[name.split(".")[1] ?? ""] ?? "text/plain";
          // The worker answers for all addresses, not only for those beside it.
          if (name === "worker.js") c.header("service-worker-allowed", "/");
          // Other sites load it.
          if (name === "embedding.js") c.header("cross-origin-resource-policy", "cross-origin");
          return c.body(content, 200, { "content-type": type, "cache-control": "no-cache" });
        } catch {
          return c.notFound();
        }
      },
    },
  ],
};
