import { statSync } from "node:fs";
import { streamSSE } from "hono/streaming";
import type { Feature } from "../features/feature.ts";

const started = Date.now();

/** Tells open pages when there is a newer version of them; nothing unless the application is being developed. */
export function development(): Feature {
  const path = process.env.DEVELOPMENT_NOTES;
  if (path === undefined) return { routes: [] };
  const version = () => {
    const written = statSync(path, { throwIfNoEntry: false })?.mtimeMs ?? 0;
    return `${started}-${written}`;
  };
  return {
    routes: [
      {
        method: "GET",
        path: "/-/changes",
        needs: "nothing",
        answer: (c) =>
          streamSSE(c, async (stream) => {
            let told = "";
            while (!stream.aborted) {
              if (version() !== told) {
                told = version();
                await stream.writeSSE({ data: told, retry: 100 });
              }
              await stream.sleep(200);
            }
          }),
      },
    ],
  };
}
