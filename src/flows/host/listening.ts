import { createHash, timingSafeEqual } from "node:crypto";
import { readFileSync } from "node:fs";
import { Agent, createServer, type IncomingMessage, type ServerResponse } from "node:http";
import { createServer as createSecureServer } from "node:https";
import { getRequestListener } from "@hono/node-server";
import { createProxyServer } from "httpxy";
import { Failure } from "../../core/failure.ts";
import { fileFailure } from "../../io/project/files.ts";
import type { Host } from "./host.ts";
import type { Hosted } from "./hosted.ts";
import { hostRoutes, isHostName } from "./routes.ts";

/** Where a host listens. */
export interface HostListening {
  address: string;
  port: number;
  /** The files of a certificate and its key, where the host does TLS itself. */
  certificate?: { chain: string; key: string } | undefined;
  /** Whether a proxy in front says who sent a request. */
  behindProxy: boolean;
}

/** How long a request may be on its way to an application and back, in milliseconds. */
const patience = 600_000;

/** Listens for a host: answers for itself, and passes on what is for applications. */
export function listenFor(
  host: Host,
  { address, port, certificate, behindProxy }: HostListening,
): Promise<{ close(): Promise<void> }> {
  const own = getRequestListener(hostRoutes(host).fetch);
  const pass = passing(behindProxy);
  const answer = (request: IncomingMessage, response: ServerResponse) => {
    const hostname = hostnameOf(request);
    if (isHostName(host, hostname)) return void own(request, response);
    const hosted = host.named(hostname);
    if (!hosted) return say(response, 404, "There is no application of this name here.\n");
    return void pass(hosted, request, response);
  };
  const server = certificate ? createSecureServer(read(certificate), answer) : createServer(answer);
  server.requestTimeout = patience;
  // Longer than clients keep connections that they don't use, so that none is closed while a request is on its way.
  server.keepAliveTimeout = 65_000;
  return new Promise((resolve, reject) => {
    server.once("error", (error: NodeJS.ErrnoException) => {
      const why = error.code === "EADDRINUSE" ? "the port is in use" : error.message;
      reject(
        new Failure(
          "outside",
          `can't listen on ${address}:${port}: ${why}`,
          "choose another --port",
        ),
      );
    });
    server.listen(port, address, () =>
      resolve({
        close: () =>
          new Promise((done) => {
            server.close(() => done());
            server.closeIdleConnections();
            setTimeout(() => server.closeAllConnections(), 5000).unref();
          }),
      }),
    );
  });
}

/** Passes requests on to applications. */
function passing(behindProxy: boolean) {
  const agent = new Agent({ keepAlive: true, maxSockets: 1000 });
  const proxy = createProxyServer({ agent, proxyTimeout: patience });
  return async (hosted: Hosted, request: IncomingMessage, response: ServerResponse) => {
    const { preview } = hosted.record;
    if (preview && !isAllowed(request, preview.digest)) {
      response.setHeader("www-authenticate", 'Basic realm="Preview", charset="UTF-8"');
      return say(response, 401, "A preview has a password, which `levadura publish` printed.\n");
    }
    if (preview) {
      delete request.headers.authorization;
      response.setHeader("x-robots-tag", "noindex");
    }
    // Who sent it is known here; what visitors say of themselves isn't taken.
    const said = behindProxy ? request.headers["x-forwarded-for"] : undefined;
    request.headers["x-forwarded-for"] = said ?? request.socket.remoteAddress ?? "";
    for (let tries = 1; ; tries++) {
      const entered = await hosted.enter();
      if (!entered) {
        response.setHeader("retry-after", "10");
        return say(response, 503, "The application doesn't answer at the moment.\n");
      }
      response.once("close", entered.leave);
      try {
        return await proxy.web(request, response, { target: `http://127.0.0.1:${entered.port}` });
      } catch {
        entered.leave();
        // Reading once more changes nothing; it waits until the application was started again.
        const reads = request.method === "GET" || request.method === "HEAD";
        if (response.headersSent || response.destroyed) return void response.destroy();
        if (!reads || tries === 3) {
          return say(response, 502, "The application ended before it had answered.\n");
        }
        await new Promise((resolve) => setTimeout(resolve, 100 * tries));
      }
    }
  };
}

/** Whether a request has the password of a preview, under whatever name. */
function isAllowed({ headers }: IncomingMessage, digest: string): boolean {
  const [, encoded = ""] =
    /^Basic ([A-Za-z0-9+/=]{1,400})$/i.exec(headers.authorization ?? "") ?? [];
  const typed = Buffer.from(encoded, "base64")
    .toString()
    .replace(/^[^:]*:/, "");
  const found = createHash("sha256").update(typed).digest();
  return timingSafeEqual(found, Buffer.from(digest, "hex"));
}

function hostnameOf({ headers }: IncomingMessage): string {
  const host = (headers.host ?? "").toLowerCase();
  return host.replace(/:\d+$/, "").replace(/\.$/, "");
}

function say(response: ServerResponse, status: number, text: string): void {
  response.writeHead(status, { "content-type": "text/plain; charset=utf-8" });
  response.end(text);
}

function read({ chain, key }: { chain: string; key: string }): { cert: Buffer; key: Buffer } {
  const content = (path: string) => {
    try {
      return readFileSync(path);
    } catch (error) {
      throw fileFailure("read", path, error);
    }
  };
  return { cert: content(chain), key: content(key) };
}
