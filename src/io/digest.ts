import { createHash } from "node:crypto";
import { createReadStream } from "node:fs";

/** The SHA-256 of a file, as 64 hexadecimal digits. */
export async function digestOfFile(path: string): Promise<string> {
  const hash = createHash("sha256");
  for await (const chunk of createReadStream(path)) hash.update(chunk as Buffer);
  return hash.digest("hex");
}
