import { closeSync, fstatSync, openSync, readSync } from "node:fs";
import { Failure } from "../../core/failure.ts";
import { fileFailure } from "../project/files.ts";

/** Detects the kind of a file from its first bytes, whatever its name. */
export type FileKind = "text" | "archive";

const others: readonly (readonly [string, string])[] = [
  ["ffd8ff", "a JPEG picture"],
  ["89504e47", "a PNG picture"],
  ["47494638", "a GIF picture"],
  ["25504446", "a PDF document"],
  ["1f8b", "a gzip archive"],
  ["377abcaf", "a 7z archive"],
  ["526172", "a RAR archive"],
  ["53514c69746520666f726d6174", "a SQLite database"],
];

/** Says what kind of file it is; a failure, which says what it looks like, for one that holds no table. */
export function sniffFile(path: string, name: string): FileKind {
  const { head, size } = headOf(path);
  if (size === 0)
    throw new Failure("input", `${name} is empty`, "save the sheet again, or name another file");
  const hex = head.subarray(0, 16).toString("hex");
  if (hex.startsWith("504b0304")) return "archive";
  if (hex.startsWith("d0cf11e0")) throw oldWorkbook(name);
  const other = others.find(([magic]) => hex.startsWith(magic));
  if (other) throw noTable(name, other[1]);
  const marked = hex.startsWith("fffe") || hex.startsWith("feff");
  if (!marked && !isWideText(head) && controlShare(head) > 0.1)
    throw noTable(name, "no text, and no workbook");
  return "text";
}

function headOf(path: string): { head: Buffer; size: number } {
  try {
    const handle = openSync(path, "r");
    try {
      const stat = fstatSync(handle);
      if (stat.isDirectory()) throw Object.assign(new Error(), { code: "EISDIR" });
      const head = Buffer.alloc(8192);
      return { head: head.subarray(0, readSync(handle, head)), size: stat.size };
    } finally {
      closeSync(handle);
    }
  } catch (error) {
    throw inputFailure(path, error);
  }
}

/** A file that somebody named and that can't be read: the command line's fault where it isn't there. */
export function inputFailure(path: string, error: unknown): Failure {
  const failure = fileFailure("read", path, error);
  const { code } = error as NodeJS.ErrnoException;
  return code === "ENOENT" || code === "EISDIR" ? new Failure("usage", failure.message) : failure;
}

function noTable(name: string, what: string): Failure {
  return new Failure(
    "input",
    `${name} holds no table: it is ${what}`,
    "CSV, TSV, XLSX and ODS files are taken",
  );
}

/** The container of old workbooks, and of encrypted ones. */
function oldWorkbook(name: string): Failure {
  return new Failure(
    "input",
    `${name} is protected by a password, or of a kind of workbook from before 2007`,
    "open it in a spreadsheet program, and save it as .xlsx without a password",
  );
}

/** The share of bytes that no text has: signs to machines, line ends and tabs apart. */
function controlShare(bytes: Buffer): number {
  let count = 0;
  for (const byte of bytes) if (byte < 9 || (byte > 13 && byte < 32)) count++;
  return count / bytes.length;
}

/** Whether every other byte is zero: UTF-16 without a mark. */
export function isWideText(bytes: Buffer): "utf-16le" | "utf-16be" | undefined {
  const half = bytes.length >> 1;
  if (half < 4) return undefined;
  let even = 0;
  let odd = 0;
  for (let at = 0; at + 1 < bytes.length; at += 2) {
    if (bytes[at] === 0) even++;
    if (bytes[at + 1] === 0) odd++;
  }
  if (odd > 0.7 * half && even < 0.05 * half) return "utf-16le";
  return even > 0.7 * half && odd < 0.05 * half ? "utf-16be" : undefined;
}
