import { createReadStream, createWriteStream, existsSync, mkdirSync } from "node:fs";
import { dirname } from "node:path";
import { createInterface } from "node:readline";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { createGunzip, createGzip } from "node:zlib";

/** The first line of a file of kept rows. */
export interface KeptHeader {
  /** The table that the rows were of. */
  table: string;
  columns: string[];
  /** The column of it that the values were of, where only those were kept. */
  column?: string;
  /** The highest number that a row of the table had; null where its rows have none. */
  top: number | null;
}

/** Writes rows into a compressed file, a line of JSON for each, as they come. Returns their number. */
export async function writeKept(
  path: string,
  header: KeptHeader,
  rows: Iterable<readonly unknown[]> | AsyncIterable<readonly unknown[]>,
): Promise<number> {
  mkdirSync(dirname(path), { recursive: true, mode: 0o700 });
  let count = 0;
  async function* lines() {
    yield `${JSON.stringify(header)}\n`;
    let chunk = "";
    for await (const row of rows) {
      count++;
      chunk += `${JSON.stringify(row, (_key, value) => (typeof value === "bigint" ? String(value) : value))}\n`;
      if (chunk.length < 65_536) continue;
      yield chunk;
      chunk = "";
    }
    yield chunk;
  }
  await pipeline(
    Readable.from(lines()),
    createGzip({ level: 1 }),
    createWriteStream(path, { flush: true, mode: 0o600 }),
  );
  return count;
}

/** A file of kept rows: what its first line says, and the rows one after the other. */
export async function readKept(
  path: string,
): Promise<{ header: KeptHeader; rows: AsyncGenerator<unknown[]> }> {
  if (!existsSync(path)) throw new Error(`The kept rows in ${path} are not there.`);
  const lines = createInterface({ input: createReadStream(path).pipe(createGunzip()) });
  const iterator = lines[Symbol.asyncIterator]();
  const first = await iterator.next();
  async function* rows() {
    for (let line = await iterator.next(); !line.done; line = await iterator.next()) {
      if (line.value !== "") yield JSON.parse(line.value) as unknown[];
    }
  }
  return { header: JSON.parse(String(first.value)) as KeptHeader, rows: rows() };
}
