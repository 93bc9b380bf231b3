import { open } from "node:fs/promises";

/** Endings of names whose content has marks that tell it. */
const marked: Readonly<Record<string, readonly string[]>> = {
  jpg: ["image/jpeg"],
  jpeg: ["image/jpeg"],
  png: ["image/png", "image/apng"],
  gif: ["image/gif"],
  webp: ["image/webp"],
  avif: ["image/avif"],
  heic: ["image/heic", "image/heif"],
  tif: ["image/tiff"],
  tiff: ["image/tiff"],
  pdf: ["application/pdf"],
  zip: ["application/zip"],
  gz: ["application/gzip"],
  "7z": ["application/x-7z-compressed"],
  docx: ["application/vnd.openxmlformats-officedocument.wordprocessingml.document"],
  xlsx: ["application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"],
  pptx: ["application/vnd.openxmlformats-officedocument.presentationml.presentation"],
  odt: ["application/vnd.oasis.opendocument.text"],
  ods: ["application/vnd.oasis.opendocument.spreadsheet"],
};

/** Programs, which nobody hides behind another ending by mistake. */
const programs: ReadonlySet<string> = new Set([
  "application/x-msdownload",
  "application/x-elf",
  "application/x-mach-binary",
  "application/java-vm",
  "application/x-executable",
]);

/**
 * The media type that the content of a file has; plain text where it is text, and bytes where nothing tells.
 * `lies` where its name says something else.
 */
export async function contentTypeOf(
  path: string,
  name: string,
): Promise<{ type: string; lies: boolean }> {
  const { fileTypeFromFile } = await import("file-type");
  const found = await fileTypeFromFile(path).catch(() => undefined);
  const type = found?.mime ?? ((await isText(path)) ? "text/plain" : "application/octet-stream");
  const [, ending = ""] = /\.([a-z0-9]{1,8})$/i.exec(name) ?? [];
  const expected = marked[ending.toLowerCase()];
  // Archives of several kinds are all a zip to some readers.
  const isArchive = type === "application/zip" && expected?.[0]?.startsWith("application/vnd.");
  const differs = expected ? !expected.includes(type) && !isArchive : false;
  return {
    type,
    lies: differs || (programs.has(type) && !/^(exe|dll|msi|bin|so|com|elf|class)$/i.test(ending)),
  };
}

/** Whether the beginning of a file is text. */
async function isText(path: string): Promise<boolean> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(8192), 0, 8192, 0);
    const start = buffer.subarray(0, bytesRead);
    new TextDecoder("utf-8", { fatal: true }).decode(start, { stream: true });
    return !start.includes(0);
  } catch {
    return false;
  } finally {
    await file.close();
  }
}
