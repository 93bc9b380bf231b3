import { text } from "node:stream/consumers";
import yauzl from "yauzl";
import { Failure } from "../../core/failure.ts";

export type WorkbookKind = "xlsx" | "ods";

/** The most that a workbook may unpack to, in bytes: in all, and one part of it, which becomes one text. */
const most = { all: 3_000_000_000, part: 500_000_000 };

/**
 * Looks into a workbook before anything unpacks it: whether it is one, whether it is encrypted, and
 * whether it unpacks to what it says and no more than this machine should hold. Says of which kind it is.
 */
export async function checkWorkbook(path: string, name: string): Promise<WorkbookKind> {
  let parts = 0;
  let size = 0;
  const seen = new Set<string>();
  try {
    const archive = await yauzl.openPromise(path, { lazyEntries: true, autoClose: false });
    try {
      for await (const entry of archive.eachEntry()) {
        parts++;
        seen.add(entry.fileName);
        size += entry.uncompressedSize;
        if (entry.uncompressedSize > most.part || size > most.all || parts > 100_000) {
          throw tooLarge(name, Math.max(size, entry.uncompressedSize));
        }
        if (entry.fileName.endsWith("/")) continue;
        if (entry.isEncrypted()) throw encrypted(name);
        const stream = await archive.openReadStreamPromise(entry);
        if (entry.fileName === "META-INF/manifest.xml") {
          if ((await text(stream)).includes("encryption-data")) throw encrypted(name);
        } else {
          // The stream fails when a part unpacks to another size than it says.
          for await (const _ of stream);
        }
      }
    } finally {
      archive.close();
    }
  } catch (error) {
    if (error instanceof Failure) throw error;
    throw damaged(name, (error as Error).message);
  }
  if (seen.has("xl/workbook.xml")) return "xlsx";
  if (seen.has("content.xml")) return "ods";
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
