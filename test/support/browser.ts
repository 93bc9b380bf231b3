import { existsSync } from "node:fs";
import { type Browser, chromium, type Page } from "playwright-core";

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

/** How wide a page is, and what of it stands out of its sheet without a way to scroll to it. */
export function widthOf(page: Page): Promise<{ wide: number; outside: string[] }> {
  return page.evaluate(() => {
    const isScrolled = (element: Element | null): boolean =>
      element !== null &&
      (/auto|scroll|hidden/.test(getComputedStyle(element).overflowX) ||
        (!element.matches(".sheet") && isScrolled(element.parentElement)));
    const outside = [...document.querySelectorAll(".sheet")].flatMap((sheet) => {
      const edge = sheet.getBoundingClientRect().right + 1;
      return [...sheet.querySelectorAll("*")]
        .filter((each) => each.getBoundingClientRect().right > edge && !isScrolled(each))
        .filter((each) => each.checkVisibility() && !each.closest(".visually-hidden"))
        .map((each) => `${each.tagName} ${(each.textContent ?? "").trim().slice(0, 40)}`);
    });
    return { wide: document.documentElement.scrollWidth, outside };
  });
}

/** Chooses the language of whoever is signed in. */
export async function speak(page: Page, address: string, language: "en" | "es"): Promise<void> {
  await page.goto(`${address}/-/account`);
  const choice = page.locator('select[name="language"]');
  await choice.selectOption(language);
  await Promise.all([
    page.waitForNavigation(),
    choice.evaluate((input) => (input as HTMLSelectElement).form?.requestSubmit()),
  ]);
  if (!(await page.getAttribute("html", "lang"))?.startsWith(language))
    throw new Error(`${address} doesn't speak ${language}`);
}
