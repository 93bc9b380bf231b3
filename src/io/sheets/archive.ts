import yauzl from "yauzl";
import { Failure } from "../../core/failure.ts";

export interface Workbook {
  kind: "xlsx" | "ods";
  /** What is in it as XML, by name, in memory that threads share. */
  parts: ReadonlyMap<string, Uint8Array>;
}

/** The most that a workbook may unpack to, in bytes: in all, and one part of it, which becomes one text. */
const most = { all: 3_000_000_000, part: 500_000_000 };

/**
 * Unpacks a workbook, XLSX or ODS: one that isn't encrypted, that unpacks to what it says, and to no
 * more than this machine should hold.
 */
export async function unpackWorkbook(path: string, name: string): Promise<Workbook> {
  const parts = new Map<string, Uint8Array>();
  let seen = 0;
  let size = 0;
  try {
    const archive = await yauzl.openPromise(path, { lazyEntries: true, autoClose: false });
    try {
      for await (const entry of archive.eachEntry()) {
        seen++;
        size += entry.uncompressedSize;
        if (entry.uncompressedSize > most.part || size > most.all || seen > 100_000) {
          throw tooLarge(name, Math.max(size, entry.uncompressedSize));
        }
        if (entry.fileName.endsWith("/")) continue;
        if (entry.isEncrypted()) throw encrypted(name);
        if (!/\.(xml|rels|vml)$/i.test(entry.fileName)) continue;
        // The stream fails when a part unpacks to another size than it says.
        const stream = await archive.openReadStreamPromise(entry);
        const part = new Uint8Array(new SharedArrayBuffer(entry.uncompressedSize));
        let at = 0;
        for await (const chunk of stream as AsyncIterable<Uint8Array>) {
          part.set(chunk, at);
          at += chunk.length;
        }
        parts.set(entry.fileName, part);
      }
    } finally {
      archive.close();
    }
  } catch (error) {
    if (error instanceof Failure) throw error;
    throw damaged(name, (error as Error).message);
  }
  const manifest = parts.get("META-INF/manifest.xml");
  if (manifest && Buffer.from(manifest).includes("encryption-data")) throw encrypted(name);
  if (parts.has("xl/workbook.xml")) return { kind: "xlsx", parts };
  if (parts.has("content.xml")) return { kind: "ods", parts };
  throw new Failure(
    "input",
    `${name} is an archive, but not a workbook`,
    "unpack it, and name the sheets in it",
  );
}

function tooLarge(name: string, size: number): Failure {
  const gigabytes = (size / 1e9).toFixed(1);
  return new Failure(
    "input",
    `${name} unpacks to ${gigabytes} GB, more than a workbook should`,
    "save the sheets that you need as CSV",
  );
}

function encrypted(name: string): Failure {
  return new Failure(
    "input",
    `${name} is protected by a password`,
    "open it in a spreadsheet program, and save it without one",
  );
}

/** A workbook that can't be read. */
export function damaged(name: string, why: string): Failure {
  return new Failure(
    "input",
    `${name} can't be read as a workbook: ${why}`,
    "open it in a spreadsheet program, and save it again as .xlsx",
  );
}
