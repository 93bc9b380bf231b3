import { formatPatch, OMIT_HEADERS, structuredPatch } from "diff";

/** A file before and after a change; null where it isn't there. */
export interface PatchedFile {
  /** Its path, with slashes. */
  path: string;
  before: string | null;
  after: string | null;
}

/** The changes of files as one unified patch, in the form that `git apply` takes. */
export function patchOf(files: readonly PatchedFile[]): string {
  return files.flatMap(filePatch).join("");
}

function filePatch({ path, before, after }: PatchedFile): string[] {
  if (before === after) return [];
  const [from, to] = [quoted(`a/${path}`), quoted(`b/${path}`)];
  const head = [`diff --git ${from} ${to}`];
  if (before === null) head.push("new file mode 100644");
  if (after === null) head.push("deleted file mode 100644");
  const { hunks } = structuredPatch("", "", before ?? "", after ?? "");
  // Without hunks, as for an empty file, there are no names.
  if (hunks.length === 0) return [`${head.join("\n")}\n`];
  head.push(`--- ${before === null ? "/dev/null" : from}`);
  head.push(`+++ ${after === null ? "/dev/null" : to}`);
  const body = formatPatch({ ...unnamed, hunks }, OMIT_HEADERS);
  return [`${head.join("\n")}\n${body}`];
}

/** The names are written here: the package quotes them in another way. */
const unnamed = { oldFileName: "", newFileName: "", oldHeader: "", newHeader: "" };

/** A path as git writes it: in quotes where it has characters that others would misread. */
function quoted(path: string): string {
  if (!/["\\\p{Cc}]|[^\x20-\x7e]/u.test(path)) return path;
  const bytes = [...Buffer.from(path)].map((byte) => {
    const letter = String.fromCharCode(byte);
    if (letter === '"' || letter === "\\") return `\\${letter}`;
    return byte < 0x20 || byte > 0x7e ? `\\${byte.toString(8).padStart(3, "0")}` : letter;
  });
  return `"${bytes.join("")}"`;
}
