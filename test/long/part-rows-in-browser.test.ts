import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { openBrowser } from "../support/browser.ts";
import { kinds, projectOn, type TestProject } from "../support/kinds.ts";
import { type Running, running } from "../support/program.ts";

const model = `levadura: 1
app: {name: Hive Book, language: en-GB, database: sqlite}
entities:
  Keeper: {seed: 120, fields: {name: "text, required, unique"}}
  Hive: {title: "{code}", seed: 0, fields: {code: "text, required, unique"}}
  Visit:
    title: "{code}"
    seed: 0
    sort: code
    fields:
      hive: part of Hive
      code: text ..20, required
      day: date ..today
      keeper: one Keeper
      traits: tags
      roof: color
`;

describe.each(kinds)("rows of parts in a browser over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let browser: Browser;
  let page: Page;

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    browser = await openBrowser();
    page = await browser.newPage();
  });
  afterAll(async () => {
    await browser.close();
    await app.stop();
    await project.remove();
  });

  const input = (name: string) => page.locator(`[name="visits.${name}"]`);
  const add = () => page.getByRole("button", { name: "New visit" }).click();
  const saved = () => page.waitForURL(/\/hives\/\d+-[\w-]+$/);

  it("are added with all that helps to fill them in, and saved by the Enter key", async () => {
    await page.goto(`${app.address}/hives/new`);
    await page.getByLabel("Code").first().fill("B-1");
    await input("new1.code").fill("V1");
    await add();
    expect(await input("new2.code").evaluate((it) => it === document.activeElement)).toBe(true);
    await input("new2.code").fill("V2");
    await input("new2.keeper_id.named").fill("a");
    const row = page.locator('[data-row="visits.new2."]');
    const first = row.getByRole("option").first();
    await first.waitFor();
    const keeper = await first.textContent();
    await input("new2.keeper_id.named").press("ArrowDown");
    await input("new2.keeper_id.named").press("Enter");
    expect(await input("new2.keeper_id").inputValue()).toMatch(/^\d+$/);
    await row.locator(".swatch-button").nth(2).click();
    expect(await input("new2.roof").inputValue()).toBe("#f28c28");
    expect(await row.getByRole("button", { name: "Pick a date" }).count()).toBe(1);
    await add();
    await input("new3.code").fill("V3");
    await page.locator('[data-row="visits.new3."] [data-remove]').check();
    await input("new2.code").press("Enter");
    await saved();
    const rows = await project.rows<Record<string, unknown>>(
      "select v.code, k.name, v.roof from visit v left join keeper k on k.id = v.keeper_id order by v.id",
    );
    expect(rows).toEqual([
      { code: "V1", name: null, roof: null },
      { code: "V2", name: keeper, roof: "#f28c28" },
    ]);
  });

  it("are given back as they were typed where they weren't saved, each in its place", async () => {
    await page.goto(`${app.address}/hives/1/edit`);
    const [first, second] = await page.locator("tbody [data-row]").all();
    await first?.locator("input:not([type=hidden])").first().fill("V1 typed");
    await add();
    await add();
    await input("new2.code").fill("new one");
    // Somebody else adds one that comes before the others.
    const other = await browser.newPage();
    await other.goto(`${app.address}/visits/new?hive_id=1`);
    await other.getByLabel("Code").fill("A first one");
    await other.getByRole("button", { name: "Save", exact: true }).click();
    await other.waitForURL(/\/visits\/\d+/);
    await other.close();
    page.once("dialog", (dialog) => dialog.accept());
    await page.goto(`${app.address}/hives/1/edit`);
    await page.getByRole("button", { name: "Put it back" }).click();
    expect(second).toBeDefined();
    const codes = await page
      .locator('tbody [name$=".code"]')
      .evaluateAll((all) => all.map((it) => (it as HTMLInputElement).value));
    expect(codes).toEqual(["A first one", "V1 typed", "V2", "", "new one"]);
    await input("new2.code").press("Control+Enter");
    await saved();
    expect(await project.rows("select code from visit order by lower(code)")).toEqual(
      ["A first one", "new one", "V1 typed", "V2"].map((code) => ({ code })),
    );
  });

  it("say what is wrong in their place, pass an accessibility check, and fit a phone", async () => {
    await page.goto(`${app.address}/hives/1/edit`);
    await add();
    await input("new1.day").fill("yesterday");
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await page.locator("#errors").waitFor();
    await page.getByRole("link", { name: /New visit: Date|New visit: Day/ }).click();
    expect(await input("new1.day").evaluate((it) => it === document.activeElement)).toBe(true);
    for (const width of [1280, 390]) {
      await page.setViewportSize({ width, height: 800 });
      expect(await violationsOn(page)).toEqual([]);
      const wide = await page.evaluate(() => document.documentElement.scrollWidth);
      expect(wide).toBeLessThanOrEqual(width);
    }
  });
});
