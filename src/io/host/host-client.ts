import { Readable } from "node:stream";
import type { ReadableStream as NodeReadableStream } from "node:stream/web";
import { create } from "tar";
import * as z from "zod";
import { Failure } from "../../core/failure.ts";
import { challengeText } from "./challenge.ts";
import {
  type HostEvent,
  type HostedStatus,
  hostEventShape,
  type PublishRequest,
  type publishShape,
  statusShape,
} from "./published.ts";
import { signatureOf } from "./signatures.ts";

/** A host that somebody is signed in to. */
export class HostClient {
  readonly #origin: string;
  readonly #session: string;
  /** What packages with binaries have to be for there. */
  readonly platform: string;

  private constructor(origin: string, session: string, platform: string) {
    this.#origin = origin;
    this.#session = session;
    this.platform = platform;
  }

  /** Signs in to a host with an SSH key. */
  static async signIn(origin: string, key: string): Promise<HostClient> {
    const post = (path: string, body: object) =>
      ask(origin, path, {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify(body),
      });
    const challenged = await post("/-/challenges", {});
    const { challenge } = await answered(
      challenged,
      z.object({ challenge: z.string().max(200) }),
      origin,
    );
    const signature = await signatureOf(key, challengeText(origin, challenge));
    const signed = await post("/-/sessions", { challenge, origin, signature });
    if (signed.status === 401) {
      throw new Failure(
        "usage",
        `the host doesn't know the key ${key}`,
        `on the host, admit it: levadura host admit ${key.replace(/(\.pub)?$/, ".pub")}`,
      );
    }
    const shape = z.object({ session: z.string(), platform: z.string().regex(/^\w+-\w+(-\w+)?$/) });
    const { session, platform } = await answered(signed, shape, origin);
    return new HostClient(origin, session, platform);
  }

  async applications(): Promise<HostedStatus[]> {
    return answered(await this.#ask("/-/applications"), z.array(statusShape), this.#origin);
  }

  async application(name: string): Promise<HostedStatus> {
    const response = await this.#ask(`/-/applications/${encodeURIComponent(name)}`);
    return answered(response, statusShape, this.#origin);
  }

  /** Announces a package. Returns the number of the upload, and the files that the host lacks. */
  async announce(
    name: string,
    request: z.input<typeof publishShape>,
  ): Promise<{ id: string; missing: string[] }> {
    const response = await this.#send("POST", "/-/uploads", { name, ...request });
    const shape = z.object({ id: z.string(), missing: z.array(z.string()) });
    return answered(response, shape, this.#origin);
  }

  /** Sends files of a folder, packed and compressed. */
  async send(
    id: string,
    folder: string,
    paths: readonly string[],
    progress: (bytes: number) => void,
  ): Promise<void> {
    if (paths.length === 0) return;
    const archive = create({ cwd: folder, gzip: { level: 1 }, portable: true }, [...paths]);
    let sent = 0;
    const counted = Readable.from(
      (async function* () {
        for await (const chunk of archive) {
          sent += (chunk as Buffer).length;
          progress(sent);
          yield chunk;
        }
      })(),
    );
    const response = await ask(this.#origin, `/-/uploads/${id}`, {
      method: "PUT",
      headers: { authorization: `Bearer ${this.#session}` },
      body: Readable.toWeb(counted) as ReadableStream,
      duplex: "half",
    });
    await answered(response, z.object({}), this.#origin);
  }

  /** Has a package published whose files were sent, and tells what happens. */
  async publish(id: string, tell: (event: HostEvent) => void): Promise<Done> {
    return this.#told(await this.#send("POST", `/-/uploads/${id}/publish`, {}), tell);
  }

  async rollBack(
    name: string,
    request: { to?: number | undefined; data: boolean },
    tell: (event: HostEvent) => void,
  ): Promise<Done> {
    const path = `/-/applications/${encodeURIComponent(name)}/rollback`;
    return this.#told(await this.#send("POST", path, request), tell);
  }

  async secrets(name: string): Promise<string[]> {
    const response = await this.#ask(`/-/applications/${encodeURIComponent(name)}/secrets`);
    const { secrets } = await answered(
      response,
      z.object({ secrets: z.array(z.string()) }),
      this.#origin,
    );
    return secrets;
  }

  /** Sets a secret, or takes it away with null; an application that runs is started again. */
  async setSecret(
    name: string,
    secret: { name: string; value: string | null },
    tell: (event: HostEvent) => void,
  ): Promise<void> {
    const path = `/-/applications/${encodeURIComponent(name)}/secrets`;
    const response = await this.#send("PUT", path, secret);
    if (response.headers.get("content-type")?.includes("ndjson")) await this.#told(response, tell);
    else await answered(response, z.object({ secrets: z.array(z.string()) }), this.#origin);
  }

  async endPreview(name: string): Promise<void> {
    const path = `/-/previews/${encodeURIComponent(name)}`;
    await answered(await this.#ask(path, { method: "DELETE" }), z.object({}), this.#origin);
  }

  /** The last lines of what an application said; those that are added as well, until the signal. */
  async logs(
    name: string,
    { lines, follow }: { lines: number; follow: boolean },
    read: (text: string) => void,
    signal: AbortSignal,
  ): Promise<void> {
    const query = `lines=${lines}${follow ? "&follow=yes" : ""}`;
    const path = `/-/applications/${encodeURIComponent(name)}/log?${query}`;
    const response = await this.#ask(path, { signal });
    if (!response.ok) await answered(response, z.never(), this.#origin);
    try {
      for await (const text of textOf(response)) read(text);
    } catch (error) {
      if (!signal.aborted) throw lost(this.#origin, error);
    }
  }

  #ask(path: string, options: RequestInit = {}): Promise<Response> {
    const headers = { ...options.headers, authorization: `Bearer ${this.#session}` };
    return ask(this.#origin, path, { ...options, headers });
  }

  #send(method: string, path: string, body: object): Promise<Response> {
    const headers = { "content-type": "application/json" };
    return this.#ask(path, { method, headers, body: JSON.stringify(body) });
  }

  /** Reads what a host tells, to the end. */
  async #told(response: Response, tell: (event: HostEvent) => void): Promise<Done> {
    if (!response.ok) return answered(response, z.never(), this.#origin);
    let rest = "";
    try {
      for await (const text of textOf(response)) {
        const lines = (rest + text).split("\n");
        rest = lines.pop() ?? "";
        for (const line of lines) {
          if (line === "") continue;
          const event = hostEventShape.parse(JSON.parse(line));
          if (event.kind === "done") return event;
          if (event.kind === "failed") throw new Failure(event.code, event.message, event.help);
          tell(event);
        }
      }
    } catch (error) {
      if (error instanceof Failure) throw error;
      throw lost(this.#origin, error);
    }
    throw lost(this.#origin, new Error("it ended before it was done"));
  }
}

/** How something ended well. */
export type Done = Extract<HostEvent, { kind: "done" }>;
export type { HostEvent, HostedStatus, PublishRequest };

async function ask(
  origin: string,
  path: string,
  options: RequestInit & { duplex?: "half" },
): Promise<Response> {
  try {
    return await fetch(new URL(path, origin), { redirect: "error", ...options });
  } catch (error) {
    throw lost(origin, error);
  }
}

/** The answer of a host, as it has to be; its refusal as a failure. */
async function answered<Shape>(
  response: Response,
  shape: z.ZodType<Shape>,
  origin: string,
): Promise<Shape> {
  const body: unknown = await response.json().catch(() => undefined);
  if (response.ok) {
    const read = shape.safeParse(body);
    if (read.success) return read.data;
  }
  const refusal = z
    .object({
      code: z.enum(["input", "usage", "outside"]),
      message: z.string(),
      help: z.string().optional(),
    })
    .safeParse(body);
  if (refusal.success) {
    throw new Failure(refusal.data.code, refusal.data.message, refusal.data.help);
  }
  throw new Failure(
    "usage",
    `${origin} doesn't answer as a host of Levadura does`,
    "start one with `levadura host`, and name its address",
  );
}

async function* textOf({ body }: Response): AsyncIterable<string> {
  const decoder = new TextDecoder();
  if (!body) return;
  for await (const chunk of body as unknown as NodeReadableStream<Uint8Array>) {
    yield decoder.decode(chunk, { stream: true });
  }
}

function lost(origin: string, error: unknown): Failure {
  const { message, cause } = error as Error & { cause?: Error & { code?: string } };
  const why =
    cause?.code === "ECONNREFUSED" ? "nothing listens there" : (cause?.message ?? message);
  return new Failure(
    "outside",
    `the host ${origin} can't be reached: ${why}`,
    "`levadura host` runs one on this machine",
  );
}
