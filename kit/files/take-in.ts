import { createHash, randomBytes } from "node:crypto";
import { createWriteStream } from "node:fs";
import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { type Readable, Transform } from "node:stream";
import { pipeline } from "node:stream/promises";
import { contentTypeOf } from "./content-type.ts";
import type { FileStore } from "./file-store.ts";
import { measured, pictureTypes } from "./pictures.ts";
import type { StoredFile } from "./stored-file.ts";

/** What a file has to be. */
export interface Wanted {
  isPicture: boolean;
  /** The most bytes. */
  size: number;
}

/** Why a file isn't taken. */
export type NotTaken = "too large" | "empty" | "no picture" | "lies";

/** What became of a file that was sent, and a digest of its content. */
export type Taken = { file: StoredFile; digest: string } | { refused: NotTaken };

/**
 * Takes a file in: its content is read to its end, checked, and put into the store, smaller copies of a picture beside it.
 * What is refused leaves nothing behind, and neither does a stream that breaks off, whose error is thrown.
 */
export async function takeIn(
  store: FileStore,
  content: Readable,
  givenName: string,
  { isPicture, size }: Wanted,
  keyFor: (digest: string) => string = newKey,
): Promise<Taken> {
  const folder = await mkdtemp(join(tmpdir(), "levadura-upload-"));
  try {
    const path = join(folder, "content");
    const digest = createHash("sha256");
    let bytes = 0;
    const counted = new Transform({
      transform(chunk: Buffer, _encoding, done) {
        bytes += chunk.length;
        digest.update(chunk);
        // The rest is read all the same, so that whoever sends it gets an answer, but kept nowhere.
        done(null, bytes > size ? undefined : chunk);
      },
    });
    await pipeline(content, counted, createWriteStream(path, { mode: 0o600 }));
    if (bytes > size) return { refused: "too large" };
    if (bytes === 0) return { refused: "empty" };
    const name = plainName(givenName);
    const { type, lies } = await contentTypeOf(path, name);
    if (isPicture && !pictureTypes.has(type)) return { refused: "no picture" };
    if (lies) return { refused: "lies" };
    const sum = digest.digest("hex");
    const key = keyFor(sum);
    const found = pictureTypes.has(type) ? await measured(path).catch(() => undefined) : undefined;
    if (isPicture && !found) return { refused: "no picture" };
    await store.put(key, path, type);
    try {
      for (const [size, copy] of Object.entries(found?.copies ?? {})) {
        await store.put(`${key}.${size}`, copy, "image/webp");
      }
    } catch (error) {
      await store.remove(namesOf(key)).catch(() => undefined);
      throw error;
    }
    const pixels = found ? { width: found.width, height: found.height } : {};
    return { file: { key, name, type, bytes, ...pixels }, digest: sum };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** A key that nobody can guess. */
function newKey(): string {
  return randomBytes(16).toString("hex");
}

/** The key of a content that is the same each time, so that it is kept once however often it comes. */
export function keyOfContent(digest: string): string {
  return digest.slice(0, 32);
}

/** Everything that a store may have of a file. */
export function namesOf(key: string): string[] {
  return [key, `${key}.small`, `${key}.large`];
}

/** The name of a file as people read it: its last part, without what they don't see, at most 120 characters. */
export function plainName(given: string): string {
  const [last = ""] = given.slice(-1000).split(/[\\/]/).slice(-1);
  const seen = last
    .normalize("NFC")
    .replace(/[\p{Cc}\p{Cf}\p{Cs}\p{Zl}\p{Zp}]/gu, "")
    .trim();
  const [, stem = seen, ending = ""] = /^(.*?)(\.[\p{L}\p{N}]{1,10})?$/u.exec(seen) ?? [];
  const short = [...stem].slice(0, 120 - ending.length).join("") + ending;
  return short === "" || /^\.+$/.test(short) ? "file" : short;
}
