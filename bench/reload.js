// A save of the model in `rise`, until the page shows it, against bundling and starting the same application alone.
import { spawn } from "node:child_process";
import { copyFileSync, readFileSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { join } from "node:path";
import { build } from "esbuild";
import { bin, inFolder, median, root, startServer, timed, until } from "./measure.js";

const require = createRequire(import.meta.url);

async function bundleAndStart(folder) {
  const app = join(folder, "app");
  const outfile = join(folder, ".levadura", "bench", "main.mjs");
  const driver = {
    name: "driver",
    setup: (made) =>
      made.onResolve({ filter: /^libsql$/ }, () => ({
        path: require.resolve("libsql"),
        external: true,
      })),
  };
  await build({
    absWorkingDir: app,
    entryPoints: ["src/main.ts"],
    outfile,
    bundle: true,
    platform: "node",
    format: "esm",
    jsx: "automatic",
    jsxImportSource: "#jsx",
    nodePaths: [join(root, "node_modules")],
    plugins: [driver],
  });
  const child = spawn(process.execPath, [outfile], {
    cwd: app,
    env: { ...process.env, PORT: "4871", DATABASE_URL: "" },
  });
  await until("http://127.0.0.1:4871/apiaries/new", (text) => text.includes("</html>"));
  return () => new Promise((resolve) => child.once("exit", resolve) && child.kill());
}

export function reload() {
  return inFolder(async (folder) => {
    const path = join(folder, "model.yaml");
    copyFileSync(join(root, "demo", "model.yaml"), path);
    const rise = await startServer([bin, "rise"], folder, { DATABASE_URL: "" });
    const own = [];
    const reference = [];
    const text = readFileSync(path, "utf8");
    try {
      await new Promise((resolve) => setTimeout(resolve, 500));
      for (let turn = 0; turn < 9; turn++) {
        const label = `Turn ${turn} of the bench`;
        own.push(
          await timed(async () => {
            writeFileSync(path, text.replace("town: text ..80", `town: text ..80, label ${label}`));
            await until(`${rise.address}/apiaries/new`, (page) => page.includes(label));
          }),
        );
        let stop;
        reference.push(
          await timed(async () => {
            stop = await bundleAndStart(folder);
          }),
        );
        await stop();
      }
    } finally {
      await rise.stop();
    }
    return [
      {
        what: "model saved to page reloaded, in `rise`",
        reference: "bundling and starting the same application alone",
        own: median(own),
        against: median(reference),
        hold: "<= 2",
      },
    ];
  });
}
