import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { noBrowser, openBrowser } from "../support/browser.ts";
import { demoModel } from "../support/demo.ts";
import { projectWith, type Running, running } from "../support/program.ts";

const lists = [
  "apiaries",
  "keepers",
  "hives",
  "queens",
  "inspections",
  "treatments",
  "harvests",
  "equipment",
];

describe.skipIf(noBrowser)("lists in a browser", () => {
  let app: Running;
  let browser: Browser;

  beforeAll(async () => {
    app = await running(["rise"], projectWith(demoModel(), true));
    browser = await openBrowser();
  }, 60_000);
  afterAll(async () => {
    await browser.close();
    await app.stop();
  });

  async function opened({ width = 1280, scripts = true } = {}): Promise<Page> {
    const viewport = { width, height: 844 };
    const context = await browser.newContext({ viewport, javaScriptEnabled: scripts });
    const page = await context.newPage();
    await page.goto(`${app.address}/-/sign-in`);
    await page.getByRole("button", { name: "Office" }).click();
    await page.waitForURL(`${app.address}/`);
    return page;
  }

  it("pass an accessibility check and fit their screens, with all that belongs to them", async () => {
    for (const width of [390, 1280, 1920]) {
      const page = await opened({ width });
      const check = async (path: string) => {
        await page.goto(app.address + path);
        const wide = await page.evaluate(() => document.documentElement.scrollWidth);
        // A wide screen has what a usual one has.
        const violations = width > 1280 ? [] : await violationsOn(page);
        expect([path, violations, wide]).toEqual([path, [], width]);
      };
      for (const list of lists) {
        await check(`/${list}?totals=yes&size=50`);
        await check(`/${list}/filter`);
      }
      for (const path of [
        "/hives?group=status&status=active&frames.from=1",
        "/hives/columns?group=apiary_id",
        "/hives/views",
        "/hives/export",
        "/hives/export/print",
        "/hives/bulk/change?status=weak",
        "/hives/bulk/change?status=weak&_field=status",
        "/hives/bulk/delete?id=1",
        "/-/find?words=sage",
      ])
        await check(path);
      await page.goto(`${app.address}/harvests`);
      await page.getByRole("button", { name: "Filter" }).click();
      await page.locator("#filter-panel").waitFor();
      expect([width, await violationsOn(page)]).toEqual([width, []]);
      await page.context().close();
    }
  }, 240_000);

  it("are filtered beside the rows by the keyboard, and the filters stay open on the next page", async () => {
    const page = await opened();
    await page.goto(`${app.address}/hives`);
    await page.getByRole("button", { name: "Filter" }).focus();
    await page.keyboard.press("Enter");
    const weak = page.getByLabel(/^Weak/);
    await weak.focus();
    await page.keyboard.press("Space");
    await page.keyboard.press("Enter");
    await page.waitForURL(/status=weak/);
    await page.locator("#filter-panel").waitFor();
    expect(await page.locator(".choice", { hasNotText: "Weak" }).count()).toBe(0);
    await page.getByRole("button", { name: "Filter" }).click();
    expect(await page.locator("#filter-panel").count()).toBe(0);
    await page.getByRole("link", { name: "Take out the filter Status: Weak" }).click();
    await page.waitForURL(`${app.address}/hives`);
    await page.context().close();
  }, 60_000);

  it("are led to from any page by a slash and some letters", async () => {
    const page = await opened();
    await page.keyboard.press("/");
    await page.keyboard.type("b-0");
    const finds = page.locator(".finds");
    await finds.getByRole("link", { name: "B-01", exact: true }).waitFor();
    await page.keyboard.press("ArrowDown");
    await page.keyboard.press("Enter");
    await page.waitForURL(/\/hives\/\d+-b-0\d/);
    await page.keyboard.press("/");
    await page.keyboard.type("B-0");
    await finds.getByRole("link", { name: "B-01", exact: true }).waitFor();
    await page.keyboard.press("Escape");
    expect(await finds.isVisible()).toBe(false);
    await page.context().close();
  }, 60_000);

  it("close and open their groups", async () => {
    const page = await opened();
    await page.goto(`${app.address}/hives?group=status&size=100`);
    const shown = () => page.locator("tbody tr:not(.group):visible").count();
    const all = await shown();
    const first = page.locator("tr.group .toggle").first();
    await first.focus();
    await page.keyboard.press("Enter");
    expect(await first.getAttribute("aria-expanded")).toBe("false");
    expect(await shown()).toBeLessThan(all);
    await page.keyboard.press("Enter");
    expect(await shown()).toBe(all);
    await page.context().close();
  }, 60_000);

  it("are filtered, put in order and changed without scripts, too", async () => {
    const page = await opened({ scripts: false });
    await page.goto(`${app.address}/equipment`);
    await page.getByRole("link", { name: "Filter" }).click();
    await page.locator("#filter-panel input[type=checkbox]").first().check();
    await page.getByRole("button", { name: "Apply" }).click();
    expect(await page.locator(".chips li").count()).toBe(1);
    await page.getByRole("link", { name: "Columns" }).click();
    await page.getByLabel("Ordered by, 1").selectOption({ index: 1 });
    await page.getByLabel("Direction, 1").selectOption("-");
    await page.getByRole("button", { name: "Apply" }).click();
    expect(page.url()).toMatch(/sort=-/);
    expect(await page.locator(".chips li").count()).toBe(1);
    await page.locator("td.chosen input").first().check();
    await page.getByRole("button", { name: "Change…" }).click();
    await page.getByRole("heading", { name: "Change 1 " }).waitFor();
    await page.getByLabel("Field to change").selectOption({ index: 0 });
    await page.getByRole("button", { name: "Continue" }).click();
    await page.getByRole("textbox").first().waitFor();
    await page.context().close();
  }, 60_000);
});
