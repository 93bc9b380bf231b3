import { existsSync } from "node:fs";
import { type Browser, chromium } from "playwright-core";

const executablePath = "/usr/bin/chromium";

/** Why no browser test can run here; undefined when they can. Under NO_SKIPS that is a failure. */
export const noBrowser: string | undefined = existsSync(executablePath)
  ? undefined
  : `${executablePath} is not installed (Debian package chromium)`;
if (noBrowser && process.env.NO_SKIPS) throw new Error(noBrowser);
if (noBrowser) console.warn(`Skipped: browser tests, because ${noBrowser}`);

/** Opens Chromium. */
export function openBrowser(): Promise<Browser> {
  const flags =
    "--no-sandbox --disable-quic --disable-background-networking --disable-component-update --disable-sync --no-first-run";
  return chromium.launch({ executablePath, args: flags.split(" ") });
}
