import { execFileSync } from "node:child_process";
import { existsSync } from "node:fs";
import { basename, join } from "node:path";
import { temporaryFolder } from "./program.ts";

const office = ["/usr/bin/soffice", "/usr/bin/libreoffice"].find((path) => existsSync(path));

/** Why no file of another program can be made here; undefined when they can. Under NO_SKIPS that is a failure. */
export const noOffice = office
  ? undefined
  : "LibreOffice (Debian's libreoffice-calc) is not installed";
if (noOffice && process.env.NO_SKIPS) throw new Error(noOffice);

/** The same table as another program writes it: `xlsx` or `ods`. Returns the path. */
export function savedByOffice(path: string, format: "xlsx" | "ods", folder: string): string {
  const profile = temporaryFolder();
  execFileSync(
    office ?? "",
    [
      `-env:UserInstallation=file://${profile}`,
      "--headless",
      "--convert-to",
      format,
      "--outdir",
      folder,
      path,
    ],
    { stdio: "ignore", timeout: 120_000 },
  );
  return join(folder, basename(path).replace(/\.\w+$/, `.${format}`));
}
