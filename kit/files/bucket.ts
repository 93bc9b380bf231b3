import { createReadStream } from "node:fs";
import { stat } from "node:fs/promises";
import type { Readable } from "node:stream";
import { type FileStore, FileStoreTrouble, type Kept } from "./file-store.ts";

/** How many things a bucket removes in one request. */
const mostAtOnce = 1000;

/**
 * Files in a bucket of a store that speaks S3: `s3://KEY:SECRET@host:9000/bucket/folder`. `?region=` names its region and
 * `?secure=no` reaches it without TLS.
 */
export function bucketStore(address: URL): FileStore {
  const [bucket = "", ...folders] = decodeURIComponent(address.pathname).split("/").filter(Boolean);
  const prefix = folders.length > 0 ? `${folders.join("/")}/` : "";
  const secure = address.searchParams.get("secure") !== "no";
  const place = `s3://${address.host}/${bucket}/${prefix}`;
  const open = async () => {
    // It would warn of later versions, which the application doesn't get by itself.
    process.env.AWS_SDK_JS_NODE_VERSION_SUPPORT_WARNING_DISABLED ??= "1";
    const s3 = await import("@aws-sdk/client-s3");
    const client = new s3.S3Client({
      endpoint: `${secure ? "https" : "http"}://${address.host}`,
      region: address.searchParams.get("region") ?? "us-east-1",
      forcePathStyle: true,
      credentials: {
        accessKeyId: decodeURIComponent(address.username),
        secretAccessKey: decodeURIComponent(address.password),
      },
      // Stores of others don't know all checksums of the first one.
      requestChecksumCalculation: "WHEN_REQUIRED",
      responseChecksumValidation: "WHEN_REQUIRED",
    });
    return { client, s3 };
  };
  let opened: ReturnType<typeof open> | undefined;
  const trying = async <Result>(
    work: (given: Awaited<ReturnType<typeof open>>) => Promise<Result>,
  ): Promise<Result> => {
    opened ??= open();
    try {
      return await work(await opened);
    } catch (error) {
      throw new FileStoreTrouble(place, error);
    }
  };
  return {
    place,
    put: (name, path, type) =>
      trying(async ({ client, s3 }) => {
        const { size } = await stat(path);
        const content = { Body: createReadStream(path), ContentLength: size, ContentType: type };
        await client.send(
          new s3.PutObjectCommand({ Bucket: bucket, Key: prefix + name, ...content }),
        );
      }),
    read: (name) =>
      trying(async ({ client, s3 }) => {
        try {
          const found = await client.send(
            new s3.GetObjectCommand({ Bucket: bucket, Key: prefix + name }),
          );
          return { content: found.Body as Readable, bytes: found.ContentLength ?? 0 };
        } catch (error) {
          if (error instanceof s3.NoSuchKey) return undefined;
          throw error;
        }
      }),
    remove: (names) =>
      trying(async ({ client, s3 }) => {
        for (let at = 0; at < names.length; at += mostAtOnce) {
          const Objects = names.slice(at, at + mostAtOnce).map((name) => ({ Key: prefix + name }));
          const { Errors = [] } = await client.send(
            new s3.DeleteObjectsCommand({ Bucket: bucket, Delete: { Objects, Quiet: true } }),
          );
          const [first] = Errors;
          if (first) throw new Error(first.Message ?? first.Code ?? "not removed");
        }
      }),
    async *list(): AsyncGenerator<Kept> {
      let next: string | undefined;
      do {
        const page = await trying(({ client, s3 }) =>
          client.send(
            new s3.ListObjectsV2Command({
              Bucket: bucket,
              Prefix: prefix,
              ...(next !== undefined && { ContinuationToken: next }),
            }),
          ),
        );
        for (const { Key = "", Size = 0, LastModified } of page.Contents ?? []) {
          yield {
            name: Key.slice(prefix.length),
            bytes: Size,
            at: LastModified?.getTime() ?? Date.now(),
          };
        }
        next = page.NextContinuationToken;
      } while (next !== undefined);
    },
  };
}
