import { readFileSync } from "node:fs";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { noBrowser, openBrowser } from "../support/browser.ts";
import { demoModel } from "../support/demo.ts";
import { projectWith, type Running, running } from "../support/program.ts";

describe.skipIf(noBrowser)("reports, calendars and the start page in a browser", () => {
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

  async function opened({ width = 1280, scripts = true, group = "Office" } = {}): Promise<Page> {
    const viewport = { width, height: 844 };
    const context = await browser.newContext({ viewport, javaScriptEnabled: scripts });
    const page = await context.newPage();
    await page.goto(`${app.address}/-/sign-in`);
    await page.getByRole("button", { name: group }).click();
    await page.waitForURL(`${app.address}/`);
    return page;
  }

  it("pass an accessibility check and fit their screens", async () => {
    for (const width of [390, 1280]) {
      const page = await opened({ width });
      for (const path of [
        "/",
        "/?period=last-year&record=1",
        "/-/dashboard",
        "/-/dashboard?of=hive&query=status%3Dweak",
        "/-/calendar",
        "/-/calendar?span=week",
        "/-/calendar?span=day&of=hive&of=harvest",
        "/-/calendar?span=agenda",
        "/inspections?layout=calendar",
        "/hives?layout=calendar&span=timeline",
        "/harvests?layout=report&by=date:quarter&across=sort&show=sum:weight&show=sum:weight:share&mark=lowest:2",
        "/harvests?layout=report&by=date:month&show=sum:weight&drawn=trend",
        "/harvests/export?layout=report&by=sort&drawn=bars",
      ]) {
        await page.goto(app.address + path);
        const wide = await page.evaluate(() => document.documentElement.scrollWidth);
        expect([path, await violationsOn(page), wide]).toEqual([path, [], width]);
      }
      await page.context().close();
    }
  }, 240_000);

  it("answer a question by clicks alone: honey per apiary and month, a year beside the other", async () => {
    const page = await opened();
    await page.goto(`${app.address}/harvests`);
    await page.getByRole("link", { name: "Report", exact: true }).click();
    await page.getByLabel("Group by", { exact: true }).selectOption({ label: "Hive · Apiary" });
    await page.getByLabel("Across").selectOption({ label: "Date, by year" });
    await page.getByLabel("Show, 1").selectOption("sum");
    await page.getByRole("combobox", { name: "of, 1" }).fill("weight");
    await page.getByRole("button", { name: "Show report" }).click();
    await page.locator(".report-table").waitFor();
    await page.getByText("Change this report").click();
    await page.getByLabel("then by (2)").selectOption({ label: "Date, by month of the year" });
    await page.getByLabel("Show, 2").selectOption("sum");
    await page.getByRole("combobox", { name: "of, 2" }).fill("weight");
    await page.getByLabel("told as, 2").selectOption("change");
    await page
      .getByLabel("Order", { exact: true })
      .selectOption({ label: "Largest first: Sum: Weight" });
    await page
      .getByLabel("Highlight", { exact: true })
      .selectOption({ label: "The lowest: Sum: Weight" });
    await page.getByLabel("How many, or the number").fill("3");
    await page.getByRole("button", { name: "Show report" }).click();
    await page.waitForURL(/mark=1%3Alowest%3A3/);
    expect(await page.locator("tbody tr[data-color]").count()).toBe(3);
    const outer = await page.locator('tbody [data-depth="0"]').count();
    expect(await page.locator('tbody [data-depth="1"]').count()).toBeGreaterThan(outer);

    // Kept, shared with the board, had as a file, and opened again.
    await page.getByRole("link", { name: "Keep this view…" }).click();
    await page.getByLabel("Name").fill("Honey");
    await page.getByLabel("For whom").selectOption({ label: "Everyone" });
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByRole("link", { name: "Export" }).click();
    const [file] = await Promise.all([
      page.waitForEvent("download"),
      page.locator(".report-formats").getByRole("link", { name: /^CSV/ }).click(),
    ]);
    expect(readFileSync(await file.path(), "utf8")).toContain("Hive · Apiary");
    const board = await opened({ group: "Board" });
    await board.goto(`${app.address}/harvests`);
    await board.getByRole("link", { name: "Honey", exact: true }).click();
    await board.locator("tbody tr[data-color]").first().waitFor();

    // Each part of each chart leads to its rows.
    for (const drawn of ["bars", "columns", "line", "ring"]) {
      await board.goto(`${app.address}/harvests?layout=report&by=sort&show=count&drawn=${drawn}`);
      const part = board.locator(".chart a, .ring ul a").first();
      const said = (await part.getAttribute("aria-label")) ?? (await part.innerText());
      const count = /: (\d+)/.exec(said)?.[1];
      await part.click();
      await board.waitForURL(/only=/);
      await board.getByText(new RegExp(`^${count} harvests?`)).waitFor();
    }
    await board.context().close();
    await page.context().close();
  }, 120_000);

  it("complete formulas while they are typed", async () => {
    const page = await opened();
    await page.goto(`${app.address}/harvests?layout=report`);
    await page.getByLabel("Show, 1").selectOption("sum");
    const of = page.getByRole("combobox", { name: "of, 1" });
    await of.pressSequentially("2 * wei");
    await page.getByRole("option", { name: /^weight/ }).waitFor();
    expect(await violationsOn(page)).toEqual([]);
    await page.keyboard.press("ArrowDown");
    await page.keyboard.press("Enter");
    expect(await of.inputValue()).toBe("2 * weight");
    await of.pressSequentially(" + hive.cod");
    await page.getByRole("option", { name: /^hive\.code/ }).click();
    expect(await of.inputValue()).toBe("2 * weight + hive.code");
    await of.fill("weight * 2");
    await page.getByRole("button", { name: "Show report" }).click();
    await page.waitForURL(/show=sum%3Aweight\+\*\+2/);
    await page.context().close();
  }, 60_000);

  it("move a record by dragging it to another day", async () => {
    const page = await opened();
    const day = "2026-04-07";
    await page.goto(`${app.address}/inspections/new?date=${day}`);
    await page.getByLabel(/^Hive/).selectOption({ index: 1 });
    await page.getByLabel(/^Keeper/).selectOption({ index: 1 });
    await page.getByRole("button", { name: "Save", exact: true }).click();
    await page.waitForURL(/\/inspections\/\d/);
    const [title = ""] = /\S+ on 2026-04-07/.exec(await page.locator("h1").innerText()) ?? [];
    await page.goto(`${app.address}/inspections?layout=calendar&on=${day}`);
    const cell = (date: string) => page.locator(`[data-day="${date}"]`);
    await cell(day).locator(".event", { hasText: title }).dragTo(cell("2026-04-22"));
    await page.getByText(": 22 Apr 2026.").waitFor();
    const moved = title.replace(day, "2026-04-22");
    await cell("2026-04-22").locator(".event", { hasText: moved }).waitFor();
    expect(await cell(day).locator(".event", { hasText: title }).count()).toBe(0);
    await page.context().close();
  }, 60_000);

  it("are put together by dragging, by keys, and without scripts", async () => {
    const page = await opened({ group: "Wardens" });
    const titles = async (on: Page) => on.locator(".panel h2").allInnerTexts();
    const [first = "", second = "", ...others] = await titles(page);
    await page.getByRole("link", { name: "Arrange this page" }).click();
    const lines = page.locator("[data-record]");
    await Promise.all([
      page.waitForResponse((answer) => answer.request().method() === "GET"),
      lines.nth(0).dragTo(lines.nth(1), { targetPosition: { x: 200, y: 25 } }),
    ]);
    await expect.poll(() => lines.nth(1).innerText()).toContain(first);
    await page.goto(app.address);
    expect(await titles(page)).toEqual([second, first, ...others]);
    const plain = await opened({ group: "Wardens", scripts: false });
    await plain.goto(`${app.address}/-/dashboard`);
    await plain
      .getByRole("button", { name: `Remove ${second}` })
      .first()
      .click();
    await plain.goto(app.address);
    expect(await titles(plain)).toEqual([first, ...others]);
    await page.context().close();
    await plain.context().close();
  }, 60_000);
});
