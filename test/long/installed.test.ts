import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Browser } from "playwright-core";
import sharp from "sharp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { openBrowser } from "../support/browser.ts";
import { levadura, projectWith, type Running, running } from "../support/program.ts";

const model = `levadura: 1
app: {name: Hive Book, language: en, accent: "#ffd54a", logo: pictures/logo.png, icon: pictures/icon.svg}
entities:
  Hive: {title: "{code}", fields: {code: "text, required"}, seed: 3}
`;

/** One that the application has again when it is started again; tests beside this one take others by themselves. */
const port = String(20_000 + (process.pid % 20_000));

/** A project with the pictures that its model names. */
async function pictured(text: string): Promise<string> {
  const folder = projectWith(text, true);
  mkdirSync(join(folder, "pictures"));
  const create = { width: 80, height: 40, channels: 3 as const, background: "#335577" };
  await sharp({ create })
    .png()
    .toFile(join(folder, "pictures", "logo.png"));
  const circle = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle r="4"/></svg>';
  writeFileSync(join(folder, "pictures", "icon.svg"), circle);
  return folder;
}

describe("an application on a device", () => {
  let folder: string;
  let app: Running;
  let browser: Browser;

  beforeAll(async () => {
    folder = await pictured(model);
    for (const command of ["prepare", "migrate", "seed", "build"])
      expect(await levadura([command], folder)).toMatchObject({ status: 0 });
    app = await running(["serve", "--port", port], folder);
    browser = await openBrowser();
  });
  afterAll(async () => {
    await browser.close();
    await app.stop();
  });

  it("has its accent where it can be read, its logo, and what a device needs to install it", async () => {
    for (const colorScheme of ["light", "dark"] as const) {
      const page = await browser.newPage({ colorScheme });
      for (const path of ["/", "/hives", "/hives/1", "/hives/new"]) {
        await page.goto(app.address + path);
        expect([path, await violationsOn(page)]).toEqual([path, []]);
      }
      const logo = page.locator(".masthead img");
      expect(await logo.evaluate((it) => (it as HTMLImageElement).naturalWidth)).toBeGreaterThan(0);
      await page.close();
    }
    const manifest = await (await fetch(`${app.address}/-/manifest.json`)).json();
    expect(manifest).toMatchObject({
      ...{ name: "Hive Book", display: "standalone", start_url: "/" },
      theme_color: expect.stringMatching(/^#[0-9a-f]{6}$/),
      icons: [{ src: "/-/assets/icon.svg", sizes: "any" }],
    });
    expect(await (await fetch(`${app.address}/-/assets/icon.svg`)).text()).toContain("<circle");
  });

  it("opens without a connection to what was last seen, says so, and forgets it with its reader", async () => {
    const context = await browser.newContext();
    const page = await context.newPage();
    const kept = () => page.evaluate(() => caches.keys());
    await page.goto(`${app.address}/`);
    await page.evaluate(() => navigator.serviceWorker.ready.then(() => undefined));
    for (const path of ["/", "/hives", "/hives/1"]) await page.goto(app.address + path);
    const title = await page.locator("h1").textContent();
    await page.evaluate(() => caches.open("pages:7"));
    await page.goto(`${app.address}/hives/1`);
    const seen = page.url();
    // Nobody signs in here: what somebody else saw is gone.
    await expect.poll(async () => (await kept()).sort()).toEqual(["files", "pages:"]);
    const isKept = (path: string) =>
      page.evaluate(async (it) => (await caches.match(it)) !== undefined, path);
    for (const path of ["/", seen]) await expect.poll(() => isKept(path)).toBe(true);
    await app.stop();
    await page.goto(seen);
    expect(await page.locator("h1").textContent()).toBe(title);
    expect(await page.locator(".alert-warning").textContent()).toMatch(
      /^You are offline\. This page is shown as it was on \w{3} \d+, \d{4}/,
    );
    expect(await page.evaluate(() => document.styleSheets.length)).toBeGreaterThan(0);
    // What wasn't seen leads to the start.
    await page.goto(`${app.address}/hives/2`);
    expect(new URL(page.url()).pathname).toBe("/");
    expect(await page.locator("h1").textContent()).toBe("Hive Book");
    app = await running(["serve", "--port", port], folder);
    await page.goto(`${app.address}/hives/2`);
    expect(await page.locator(".alert-warning").count()).toBe(0);
    await context.close();
  });
});

it("says what is wrong with a picture or a colour, at its place", async () => {
  const folder = await pictured(model);
  const said = async (setting: RegExp, value: string) => {
    writeFileSync(join(folder, "model.yaml"), model.replace(setting, value));
    const { status, err } = await levadura(["check"], folder);
    expect(status).toBe(1);
    return err;
  };
  expect(await said(/"#ffd54a"/, "yellow")).toContain("an accent is a colour of six digits");
  expect(await said(/pictures\/logo.png/, "../logo.png")).toContain(
    "`logo` is an .svg or .png file",
  );
  expect(await said(/pictures\/logo.png/, "logo.png")).toContain("there is no file `logo.png`");
  expect(await said(/pictures\/logo.png/, "pictures/logo.gif")).toContain("`logo` is an");
  writeFileSync(join(folder, "fake.png"), "no picture");
  expect(await said(/pictures\/logo.png/, "fake.png")).toContain("`fake.png` is no PNG picture");
  writeFileSync(join(folder, "large.svg"), `<svg>${" ".repeat(400_000)}</svg>`);
  expect(await said(/pictures\/logo.png/, "large.svg")).toContain("is larger than 300 kB");
});
