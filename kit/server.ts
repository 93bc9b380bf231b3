import { readFile } from "node:fs/promises";
import type { AddressInfo } from "node:net";
import { serve } from "@hono/node-server";
import type { Hono } from "hono";

const types: Readonly<Record<string, string>> = {
  css: "text/css; charset=utf-8",
  js: "text/javascript; charset=utf-8",
  svg: "image/svg+xml",
};

/** Hands out what the build put into the folder `assets` beside the server. */
export function assetRoutes(app: Hono): void {
  app.get("/-/assets/:file{[a-z]+\\.(css|js|svg)}", async (c) => {
    const name = c.req.param("file");
    try {
      const content = await readFile(new URL(`./assets/${name}`, import.meta.url));
      const type = types[name.split(".")[1] ?? ""] ?? "text/plain";
      return c.body(content, 200, { "content-type": type, "cache-control": "no-cache" });
    } catch {
      return c.notFound();
    }
  });
}

/** Listens on HOST and PORT, which are 127.0.0.1 and 3000 unless set, until asked to stop. */
export function listen(app: Hono, name: string, close: () => Promise<void>): void {
  const hostname = process.env.HOST || "127.0.0.1";
  const port = Number(process.env.PORT || 3000);
  const serverOptions = {
    headersTimeout: 10_000,
    requestTimeout: 30_000,
    keepAliveTimeout: 10_000,
    connectionsCheckingInterval: 2_000,
  };
  const server = serve({ fetch: app.fetch, hostname, port, serverOptions }, (at: AddressInfo) => {
    const host = at.family === "IPv6" ? `[${at.address}]` : at.address;
    console.log(`${name} is open at http://${host}:${at.port}/`);
    // A process that started this one learns that it may send requests now.
    process.send?.("listening");
  });
  server.on("error", (error: NodeJS.ErrnoException) => {
    console.error(
      error.code === "EADDRINUSE"
        ? `Port ${port} is in use. Set PORT to another one.`
        : `Can't listen on ${hostname}:${port}: ${error.message}`,
    );
    process.exit(3);
  });
  const stop = () => {
    server.close(() => void close().then(() => process.exit(0)));
    if (!("closeAllConnections" in server)) return;
    // Requests that are being answered are answered first; pages in development wait for changes for ever.
    server.closeIdleConnections();
    const patience = process.env.DEVELOPMENT_NOTES ? 0 : 3000;
    setTimeout(() => server.closeAllConnections(), patience).unref();
  };
  for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"] as const) process.once(signal, stop);
  // ... or until the process that started it is gone.
  process.once("disconnect", stop);
}
