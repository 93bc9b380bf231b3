import { createHash, createHmac, timingSafeEqual } from "node:crypto";
import { createReadStream, createWriteStream } from "node:fs";
import { mkdir, readdir, rm, stat } from "node:fs/promises";
import { createServer, type IncomingMessage, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";

/** Who may use the stand-in, and where it keeps what it gets. */
interface StandIn {
  folder: string;
  key: string;
  secret: string;
}

/**
 * A store that speaks as much of S3 as an application needs of one, for tests: it puts, gets, lists and removes in folders of this
 * machine, and refuses requests that aren't signed by the right secret (signature version 4, in the header).
 */
export async function bucketStandIn(
  given: StandIn,
): Promise<{ port: number; close(): Promise<void> }> {
  const server = createServer((request, response) => {
    answer(given, request, response).catch(() => response.writeHead(500).end());
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return {
    port: (server.address() as AddressInfo).port,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

async function answer(given: StandIn, request: IncomingMessage, response: ServerResponse) {
  const { method = "", url = "/" } = request;
  const { pathname, searchParams } = new URL(url, "http://127.0.0.1");
  if (!isSigned(given, request, pathname, searchParams))
    return refuse(response, 403, "SignatureDoesNotMatch");
  const [bucket = "", ...rest] = pathname.split("/").filter(Boolean).map(decodeURIComponent);
  const name = rest.join("/");
  const path = join(given.folder, bucket, encodeURIComponent(name));
  await mkdir(join(given.folder, bucket), { recursive: true });
  if (method === "PUT") {
    await pipeline(request, createWriteStream(path));
    return response.writeHead(200, { etag: '"kept"' }).end();
  }
  if (method === "GET" && name === "") return list(given, bucket, searchParams, response);
  if (method === "GET") {
    const found = await stat(path).catch(() => undefined);
    if (!found) return refuse(response, 404, "NoSuchKey");
    response.writeHead(200, { "content-length": found.size });
    return pipeline(createReadStream(path), response);
  }
  if (method === "POST" && searchParams.has("delete")) {
    const body = (await request.toArray()).join("");
    for (const [, key = ""] of body.matchAll(/<Key>([^<]*)<\/Key>/g)) {
      await rm(join(given.folder, bucket, encodeURIComponent(key)), { force: true });
    }
    return xml(response, "<DeleteResult></DeleteResult>");
  }
  return refuse(response, 405, "MethodNotAllowed");
}

/** How many things one answer lists: few, so that reading on is tried. */
const listedAtOnce = 10;

async function list(
  { folder }: StandIn,
  bucket: string,
  asked: URLSearchParams,
  response: ServerResponse,
) {
  const prefix = asked.get("prefix") ?? "";
  const behind = asked.get("continuation-token") ?? "";
  const names = (await readdir(join(folder, bucket)))
    .map(decodeURIComponent)
    .filter((name) => name.startsWith(prefix) && name > behind)
    .sort();
  const some = names.slice(0, listedAtOnce);
  const contents = await Promise.all(
    some.map(async (name) => {
      const { size, mtime } = await stat(join(folder, bucket, encodeURIComponent(name)));
      return `<Contents><Key>${name}</Key><Size>${size}</Size><LastModified>${mtime.toISOString()}</LastModified></Contents>`;
    }),
  );
  const next =
    names.length > some.length
      ? `<IsTruncated>true</IsTruncated><NextContinuationToken>${some.at(-1)}</NextContinuationToken>`
      : "<IsTruncated>false</IsTruncated>";
  return xml(response, `<ListBucketResult>${contents.join("")}${next}</ListBucketResult>`);
}

function xml(response: ServerResponse, body: string) {
  response.writeHead(200, { "content-type": "application/xml" }).end(body);
}

function refuse(response: ServerResponse, status: number, code: string) {
  response
    .writeHead(status, { "content-type": "application/xml", connection: "close" })
    .end(`<Error><Code>${code}</Code><Message>${code}</Message></Error>`);
}

/** Whether a request carries the signature that its secret gives. Source: AWS Signature Version 4. */
function isSigned(
  { key, secret }: StandIn,
  { method = "", headers }: IncomingMessage,
  path: string,
  query: URLSearchParams,
): boolean {
  const [, credential = "", signed = "", signature = ""] =
    /^AWS4-HMAC-SHA256 Credential=([^,]+), ?SignedHeaders=([^,]+), ?Signature=([0-9a-f]{64})$/.exec(
      headers.authorization ?? "",
    ) ?? [];
  const [who, ...scope] = credential.split("/");
  if (who !== key) return false;
  const names = signed.split(";");
  const request = [
    method,
    path,
    [...query]
      .map(([name, value]) => `${encoded(name)}=${encoded(value)}`)
      .sort()
      .join("&"),
    ...names.map((name) => `${name}:${String(headers[name] ?? "").trim()}`),
    "",
    signed,
    String(headers["x-amz-content-sha256"] ?? ""),
  ].join("\n");
  const digest = createHash("sha256").update(request).digest("hex");
  const text = ["AWS4-HMAC-SHA256", headers["x-amz-date"], scope.join("/"), digest].join("\n");
  const hmac = (secret: string | Buffer, part: string) =>
    createHmac("sha256", secret).update(part).digest();
  const own = hmac(scope.reduce<string | Buffer>(hmac, `AWS4${secret}`), text);
  const theirs = Buffer.from(signature, "hex");
  return own.length === theirs.length && timingSafeEqual(own, theirs);
}

function encoded(text: string): string {
  return encodeURIComponent(text).replace(
    /[!'()*]/g,
    (found) => `%${found.charCodeAt(0).toString(16).toUpperCase()}`,
  );
}
