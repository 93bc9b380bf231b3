import { Readable } from "node:stream";
import type { ReadableStream as NodeReadableStream } from "node:stream/web";
import { type Context, Hono } from "hono";
import { bodyLimit } from "hono/body-limit";
import { stream, streamText } from "hono/streaming";
import type * as z from "zod";
import { newSecret } from "../../../kit/access/secrets.ts";
import { Failure } from "../../core/failure.ts";
import { challengeText } from "../../io/host/challenge.ts";
import {
  type HostEvent,
  nameShape,
  type PackageFile,
  type PublishRequest,
  rollbackShape,
  secretShape,
  signInShape,
  uploadShape,
} from "../../io/host/published.ts";
import { missingFiles, receiveFiles } from "../../io/host/received.ts";
import { isAdmitted, signerOf } from "../../io/host/signatures.ts";
import { platformHere } from "../../io/platform.ts";
import type { Host } from "./host.ts";
import type { Hosted } from "./hosted.ts";
import { publish, restart, rollBack } from "./publishing.ts";

/** How long somebody is signed in, and how long a challenge and an upload are good for, in milliseconds. */
const sessionTime = 3_600_000;
const challengeTime = 120_000;

/** The most challenges and uploads at once: more would only fill the memory. */
const mostOpen = 1000;

/** The most signatures that are checked at once: each takes processes. */
const mostChecked = 8;

/** What a signed-in request knows. */
interface Environment {
  Variables: { person: string };
}

/** The addresses of a host itself: signing in, and everything that `levadura publish` asks for. */
export function hostRoutes(host: Host): Hono<Environment> {
  const app = new Hono<Environment>();
  const challenges = new Expiring<true>(challengeTime);
  const checking = atMost(mostChecked);
  const sessions = new Expiring<string>(sessionTime);
  const uploads = new Expiring<{ name: string; request: PublishRequest; missing: PackageFile[] }>(
    sessionTime,
  );

  app.onError((error, c) => {
    const { code, message, help } = failureOf(error);
    const status = code === "outside" ? 500 : 400;
    return c.json({ code, message, ...(help && { help }) }, status);
  });
  app.notFound((c) =>
    c.json({ code: "usage", message: `there is nothing at ${c.req.path} on this host` }, 404),
  );
  app.use(bodyLimitOf());

  app.get("/", (c) => c.text("A host of Levadura. `levadura publish` puts applications here.\n"));

  app.post("/-/challenges", (c) => c.json({ challenge: challenges.add(true) }));

  app.post("/-/sessions", async (c) => {
    const { challenge, origin, signature } = read(signInShape, await jsonOf(c));
    const known = challenges.take(challenge);
    const text = challengeText(origin, challenge);
    const person =
      known && isOriginOf(host, origin)
        ? await checking(() => signerOf(host.place.keys, text, signature))
        : undefined;
    if (person === undefined) {
      host.log("somebody", "was refused", undefined, { from: addressOf(c) });
      return c.json({ code: "usage", message: "this key isn't admitted here" }, 401);
    }
    host.log(person, "signed in", undefined, { from: addressOf(c) });
    return c.json({ session: sessions.add(person), person, platform: platformHere() });
  });

  app.use("/-/*", async (c, next) => {
    const token = /^Bearer (\S{1,100})$/.exec(c.req.header("authorization") ?? "")?.[1];
    const person = token === undefined ? undefined : sessions.get(token);
    // Whoever was shut out meanwhile is so at once.
    if (person === undefined || !isAdmitted(host.place.keys, person)) {
      return c.json({ code: "usage", message: "sign in first" }, 401);
    }
    c.set("person", person);
    return next();
  });

  app.get("/-/applications", (c) => c.json(host.all().map((hosted) => host.status(hosted))));
  app.get("/-/applications/:name", (c) => c.json(host.status(find(host, c))));

  app.post("/-/uploads", async (c) => {
    const { name, ...request } = read(uploadShape, await jsonOf(c));
    const missing = missingFiles(host.place, request.package.files);
    const id = uploads.add({ name, request, missing });
    return c.json({ id, missing: missing.map(({ path }) => path) });
  });

  app.put("/-/uploads/:id", async (c) => {
    const upload = uploads.get(c.req.param("id"));
    if (!upload) throw new Failure("usage", "there is no such upload", "publish once more");
    const body = c.req.raw.body as NodeReadableStream | null;
    const content = body ? Readable.fromWeb(body) : Readable.from([]);
    await host.receiving(() => receiveFiles(host.place, upload.missing, content));
    upload.missing = [];
    return c.json({});
  });

  app.post("/-/uploads/:id/publish", (c) => {
    const upload = uploads.take(c.req.param("id"));
    if (!upload) throw new Failure("usage", "there is no such upload", "publish once more");
    if (upload.missing.length > 0) {
      throw new Failure("usage", "files of the package are missing", "publish once more");
    }
    const { name, request } = upload;
    const person = c.get("person");
    const what = request.preview ? "published a preview" : "published";
    return told(c, host, what, name, (tell) =>
      host.receiving(() => publish(host, name, request, person, tell)),
    );
  });

  app.post("/-/applications/:name/rollback", async (c) => {
    const hosted = find(host, c);
    const request = read(rollbackShape, await jsonOf(c));
    const what = request.data ? "rolled back, with the data" : "rolled back";
    return told(c, host, what, hosted.record.name, (tell) =>
      hosted.alone(c.get("person"), () => rollBack(hosted, request, tell)),
    );
  });

  app.put("/-/applications/:name/secrets", async (c) => {
    const name = read(nameShape, c.req.param("name"));
    const secret = read(secretShape, await jsonOf(c));
    const what = secret.value === null ? "removed a secret" : "set a secret";
    host.setSecret(name, secret.name, secret.value);
    host.log(c.get("person"), what, name, { secret: secret.name });
    const hosted = host.find(name);
    if (hosted?.record.current === undefined) return c.json({ secrets: host.secrets(name) });
    return told(c, host, "started it again", name, (tell) =>
      hosted.alone(c.get("person"), () => restart(hosted, tell)),
    );
  });
  app.get("/-/applications/:name/secrets", (c) =>
    c.json({ secrets: host.secrets(read(nameShape, c.req.param("name"))) }),
  );

  app.delete("/-/previews/:name", async (c) => {
    const hosted = find(host, c);
    if (!hosted.record.preview) {
      throw new Failure("usage", `${hosted.record.name} isn't a preview, and stays`);
    }
    await hosted.alone(c.get("person"), () => host.remove(hosted));
    host.log(c.get("person"), "ended a preview", hosted.record.name);
    return c.json({});
  });

  app.get("/-/applications/:name/log", (c) => {
    const { log } = find(host, c);
    const lines = Math.min(10_000, Math.max(1, Number(c.req.query("lines")) || 100));
    const follows = c.req.query("follow") === "yes";
    return streamText(c, async (stream) => {
      await stream.write(log.last(lines));
      if (!follows) return;
      const ended = new Promise<void>((resolve) => stream.onAbort(resolve));
      const stop = log.follow((text) => void stream.write(text));
      await ended.finally(stop);
    });
  });
  return app;
}

/** Answers with what happens while something is done, a line each; the last says how it ended. */
function told(
  c: Context<Environment>,
  host: Host,
  what: string,
  name: string,
  work: (tell: (event: HostEvent) => void) => Promise<HostEvent>,
): Response {
  const person = c.get("person");
  c.header("content-type", "application/x-ndjson");
  return stream(c, async (answer) => {
    const tell = (event: HostEvent) => void answer.write(`${JSON.stringify(event)}\n`);
    // Something is said now and then, or whoever waits thinks that the connection is lost.
    const beat = setInterval(() => void answer.write("\n"), 15_000);
    try {
      const done = await work(tell);
      host.log(person, what, name, done.kind === "done" ? { version: done.number } : {});
      tell(done);
    } catch (error) {
      const { code, message, help } = failureOf(error);
      host.log(person, `${what}, but it failed`, name, { message });
      tell({ kind: "failed", code, message, ...(help && { help }) });
    } finally {
      clearInterval(beat);
    }
  });
}

function find(host: Host, c: Context): Hosted {
  const name = c.req.param("name") ?? "";
  const hosted = host.find(name);
  if (hosted) return hosted;
  const names = host.all().map(({ record }) => record.name);
  throw new Failure(
    "usage",
    `there is no application ${name} on this host`,
    names.length > 0 ? `there is ${names.join(", ")}` : "nothing was published here yet",
  );
}

/** What was sent, as JSON. */
async function jsonOf(c: Context): Promise<unknown> {
  try {
    return await c.req.json();
  } catch {
    throw new Failure("usage", "what was sent isn't JSON");
  }
}

function read<Value>(shape: z.ZodType<Value>, value: unknown): Value {
  const found = shape.safeParse(value);
  if (found.success) return found.data;
  const [issue] = found.error.issues;
  const at = issue && issue.path.length > 0 ? ` (${issue.path.join(".")})` : "";
  throw new Failure("usage", `the host doesn't take that: ${issue?.message ?? ""}${at}`);
}

/** An error as somebody is told; one that nobody foresaw is told without where it happened. */
function failureOf(error: unknown): { code: Failure["code"]; message: string; help?: string } {
  if (error instanceof Failure) {
    const { code, message, help } = error;
    return { code, message, ...(help && { help }) };
  }
  return { code: "outside", message: (error as Error).message };
}

/** Whether an origin that somebody signed for is one of this host, and not of one that passes signatures on. */
function isOriginOf(host: Host, origin: string): boolean {
  if (!URL.canParse(origin)) return false;
  const { hostname } = new URL(origin);
  return isHostName(host, hostname);
}

/** Whether a name is that of the host itself. */
export function isHostName({ settings }: Host, hostname: string): boolean {
  return [settings.origin.hostname, "localhost", "127.0.0.1", "[::1]"].includes(hostname);
}

function addressOf(c: Context): string {
  const { incoming } = (c.env ?? {}) as { incoming?: { socket?: { remoteAddress?: string } } };
  return incoming?.socket?.remoteAddress ?? "";
}

/** The largest body: files are bounded by what was announced. */
function bodyLimitOf() {
  const few = bodyLimit({ maxSize: 50_000 });
  const usual = bodyLimit({ maxSize: 10_000_000 });
  const files = bodyLimit({ maxSize: 2_100_000_000 });
  return ((c, next) => {
    const { method, path } = c.req;
    // Before somebody is signed in, there is little to say.
    if (/^\/-\/(challenges|sessions)$/.test(path)) return few(c, next);
    return (method === "PUT" && path.startsWith("/-/uploads/") ? files : usual)(c, next);
  }) satisfies ReturnType<typeof bodyLimit>;
}

/** Does so much at once, and refuses more. */
function atMost(most: number) {
  let count = 0;
  return async <Result>(work: () => Promise<Result>): Promise<Result> => {
    if (count >= most) {
      throw new Failure("outside", "too many people sign in at the moment", "try it again");
    }
    count++;
    try {
      return await work();
    } finally {
      count--;
    }
  };
}

/** Values by a text that nobody can guess, for a while. */
class Expiring<Value> {
  readonly #values = new Map<string, { value: Value; until: number }>();
  readonly #time: number;

  constructor(time: number) {
    this.#time = time;
  }

  add(value: Value): string {
    const now = Date.now();
    for (const [key, { until }] of this.#values) {
      if (until < now || this.#values.size >= mostOpen) this.#values.delete(key);
    }
    const key = newSecret();
    this.#values.set(key, { value, until: now + this.#time });
    return key;
  }

  get(key: string): Value | undefined {
    const found = this.#values.get(key);
    return found && found.until >= Date.now() ? found.value : undefined;
  }

  take(key: string): Value | undefined {
    const value = this.get(key);
    this.#values.delete(key);
    return value;
  }
}
