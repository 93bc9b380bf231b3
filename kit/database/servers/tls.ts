import { existsSync } from "node:fs";
import { BadSetting } from "../limits.ts";

/** The files that an address names for a connection by TLS; throws where one of them is not there. */
export function tlsFiles(address: URL, names: readonly string[]): Record<string, string> {
  const files: Record<string, string> = {};
  for (const name of names) {
    const path = address.searchParams.get(name);
    if (path === null) continue;
    if (!existsSync(path)) {
      throw new BadSetting(
        `DATABASE_URL says ${name}=${path}, and there is no such file. Put it there, or correct the address.`,
      );
    }
    files[name] = path;
  }
  return files;
}
