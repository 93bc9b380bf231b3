import type { AddressInfo } from "node:net";
import { serve } from "@hono/node-server";
import { isThisMachine } from "../http/this-machine.ts";
import { endWork } from "../store/work.ts";

type Fetch = Parameters<typeof serve>[0]["fetch"];

/** How an application is run. */
interface Running {
  /** Closes what it works on, once it was asked to stop. */
  close(): Promise<void>;
  /** Whether people sign in; otherwise whoever reaches it may do everything. */
  signsIn: boolean;
  /** What is to be done every minute. */
  chores?: () => Promise<void>;
  /** The path of the link for the first administrator. */
  welcome?: string | undefined;
}

/** Listens on HOST and PORT, which are 127.0.0.1 and 3000 unless set, until asked to stop. Port 0 is any that is free. */
export function listen(
  app: { fetch: Fetch },
  name: string,
  { close, signsIn, chores, welcome }: Running,
): void {
  // Whoever started this process ended while it was starting.
  if (process.send && !process.connected) process.exit(0);
  const hostname = process.env.HOST || "127.0.0.1";
  if (!signsIn && !isThisMachine(hostname) && process.env.OPEN_TO_EVERYONE !== "yes") {
    console.error(
      `Nobody signs in to this application: whoever reaches ${hostname} could read and change everything. OPEN_TO_EVERYONE=yes allows that.`,
    );
    process.exit(1);
  }
  const port = Number(process.env.PORT || 3000);
  const serverOptions = {
    headersTimeout: 10_000,
    requestTimeout: 30_000,
    keepAliveTimeout: 10_000,
    connectionsCheckingInterval: 2_000,
  };
  const server = serve({ fetch: app.fetch, hostname, port, serverOptions }, (at: AddressInfo) => {
    const host = at.family === "IPv6" ? `[${at.address}]` : at.address;
    const address = `http://${host}:${at.port}`;
    console.log(`${name} is open at ${address}/`);
    if (welcome) console.log(`The first administrator chooses a password at ${address}${welcome}`);
    // A process that started this one learns that it may send requests now, and where.
    process.send?.({ port: at.port, welcome });
  });
  server.on("error", (error: NodeJS.ErrnoException) => {
    console.error(
      error.code === "EADDRINUSE"
        ? `Port ${port} is in use. Set PORT to another one.`
        : `Can't listen on ${hostname}:${port}: ${error.message}`,
    );
    process.exit(3);
  });
  const minutely = chores && setInterval(() => void chores(), 60_000);
  const stop = () => {
    clearInterval(minutely);
    const finish = async () => {
      await endWork();
      await chores?.();
      await close();
      process.exit(0);
    };
    server.close(() => void finish());
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
