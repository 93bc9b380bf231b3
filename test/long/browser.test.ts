import { readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { noBrowser, openBrowser } from "../support/browser.ts";
import { rowsOf } from "../support/database.ts";
import { demoModel } from "../support/demo.ts";
import { projectWith, type Running, running } from "../support/program.ts";

describe.skipIf(noBrowser)("in a browser", () => {
  const folder = projectWith(demoModel({ open: true }), true);
  const file = join(folder, "records.db");
  let rise: Running;
  let browser: Browser;
  const complaints: string[] = [];

  beforeAll(async () => {
    [rise, browser] = await Promise.all([running(["rise"], folder), openBrowser()]);
  });
  afterAll(async () => {
    await browser.close();
    await rise.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  async function open(
    path: string,
    options: { javaScriptEnabled?: boolean; width?: number } = {},
  ): Promise<Page> {
    const viewport = { width: options.width ?? 1280, height: 800 };
    const page = await browser.newPage({
      javaScriptEnabled: options.javaScriptEnabled ?? true,
      viewport,
    });
    page.on("console", (message) => {
      // While the application restarts, an open page loses the connection that tells it to reload.
      const expected =
        /status of (404|409|422)/.test(message.text()) ||
        message.location().url.endsWith("/-/changes");
      if (["error", "warning"].includes(message.type()) && !expected)
        complaints.push(message.text());
    });
    page.on("pageerror", (error) => complaints.push(error.message));
    await page.goto(rise.address + path);
    return page;
  }

  it.each([true, false])(
    "creates, corrects, edits and deletes a hive (JavaScript %s)",
    async (javaScriptEnabled) => {
      const code = javaScriptEnabled ? "X-71" : "X-72";
      const page = await open("/", { javaScriptEnabled });
      await page
        .getByRole("navigation", { name: "Menu" })
        .getByRole("link", { name: "Hives" })
        .last()
        .click();
      await page.getByRole("link", { name: "New hive" }).click();
      await page.getByRole("button", { name: "Save", exact: true }).click();
      // The browser itself holds the form back, by the same rules.
      expect(
        await page
          .getByLabel("Code")
          .evaluate(
            (input) =>
              (input as unknown as { validity: { valueMissing: boolean } }).validity.valueMissing,
          ),
      ).toBe(true);
      expect(page.url()).toContain("/hives/new");
      await page.getByLabel("Code").fill(code);
      await page.getByLabel("Apiary").selectOption({ index: 1 });
      await page.getByLabel("Colour of the roof", { exact: true }).fill("#ffcc00");
      await page.getByRole("group", { name: "Keepers" }).getByRole("checkbox").first().check();
      await page.getByRole("button", { name: "Save", exact: true }).click();
      expect(await page.getByRole("status").first().textContent()).toContain(`Hive saved: ${code}`);
      await page.getByRole("link", { name: "Edit", exact: true }).first().click();
      await page.getByLabel("Code").fill("B-01");
      await page.getByRole("button", { name: "Save", exact: true }).click();
      const alert = page.getByRole("alert");
      expect(await alert.textContent()).toContain("Another hive has this already");
      expect(await page.evaluate(() => document.activeElement?.id)).toBe(
        javaScriptEnabled ? "errors" : "",
      );
      expect(await page.getByLabel("Code").inputValue()).toBe("B-01");
      await alert.getByRole("link").click();
      await page.getByLabel("Code").fill(code);
      await page.getByLabel("Status").selectOption("weak");
      await page.getByRole("button", { name: "Save", exact: true }).click();
      expect(rowsOf(file, "select status, color from hive where code = ?", code)).toEqual([
        { status: "weak", color: "#ffcc00" },
      ]);
      await page.getByRole("link", { name: "Delete" }).click();
      await page.getByRole("button", { name: "Delete" }).click();
      expect(await page.getByRole("status").first().textContent()).toContain(
        `Hive ${code} deleted`,
      );
      expect(rowsOf(file, "select code from hive where code = ?", code)).toEqual([]);
      await page.close();
    },
  );

  it("labels every input, and asks nothing of people that it doesn't say", async () => {
    for (const path of [
      "/apiaries/new",
      "/keepers/new",
      "/hives/new",
      "/queens/new",
      "/inspections/new",
      "/treatments/new",
      "/harvests/new",
      "/equipment/new",
      "/hives",
    ]) {
      const page = await open(path);
      const unlabelled = await page.evaluate(() =>
        [
          ...document.querySelectorAll<HTMLInputElement>(
            "input:not([type=hidden]), select, textarea",
          ),
        ]
          .filter((input) => !input.labels?.length && !input.ariaLabel)
          .map((input) => input.name),
      );
      expect([path, unlabelled]).toEqual([path, []]);
      await page.close();
    }
  });

  it("offers the calendar of the browser for dates, which are typed as the language has them", async () => {
    const page = await open("/inspections/new");
    const date = page.getByLabel("Date", { exact: false }).first();
    await date.fill("3/5/2026");
    await page.getByRole("button", { name: "Pick a date" }).click();
    const calendar = page.locator("input.calendar");
    expect(await calendar.inputValue()).toBe("2026-05-03");
    await calendar.fill("2026-06-07");
    expect(await date.inputValue()).toBe("07/06/2026");
    await date.focus();
    expect(await calendar.count()).toBe(0);
    await page.close();
  });

  it("passes an accessibility check of WCAG 2.2 AA on every kind of page", async () => {
    for (const path of [
      "/",
      "/hives",
      "/hives?search=nothing",
      "/hives/1",
      "/hives/1/edit",
      "/apiaries/1/delete",
      "/equipment/8/delete",
      "/nowhere",
    ]) {
      const page = await open(path);
      const found = await violationsOn(page);
      expect([path, found]).toEqual([path, []]);
      await page.close();
    }
  });

  it("fits a telephone, menu included", async () => {
    for (const path of ["/", "/hives", "/hives/1", "/hives/new", "/hives/1/delete"]) {
      const page = await open(path, { width: 390 });
      const wide = await page.evaluate(() => document.documentElement.scrollWidth);
      expect([path, wide]).toEqual([path, 390]);
      await page.close();
    }
    const page = await open("/", { width: 390, javaScriptEnabled: false });
    await page.getByText("Menu", { exact: true }).click();
    await page.getByRole("link", { name: "Queens", exact: true }).first().click();
    expect(page.url()).toContain("/queens");
    await page.close();
  });

  it("sorts, searches and turns pages by address alone", async () => {
    const page = await open("/inspections", { javaScriptEnabled: false });
    const first = () =>
      page.locator("tbody tr").first().locator("td:not(.chosen)").first().textContent();
    const newest = await first();
    await page.getByRole("link", { name: "Next" }).click();
    expect(await page.getByText("Page 2 of 5").isVisible()).toBe(true);
    await page.getByRole("link", { name: "Date" }).click();
    expect(page.url()).toContain("sort=date");
    expect(await first()).not.toBe(newest);
    expect(await page.locator("th[aria-sort=ascending]").textContent()).toContain("Date");
    await page.goto(`${rise.address}/hives?search=b-0`);
    expect(await page.locator("tbody tr").count()).toBe(9);
    await page.goto(`${rise.address}/hives?search=%25&sort=constructor&page=99`);
    expect(await page.getByText("No hives match.").isVisible()).toBe(true);
    await page.close();
  });

  it("reloads an open page when the model is saved", async () => {
    const page = await open("/apiaries/new");
    const path = join(folder, "model.yaml");
    await page.waitForTimeout(300);
    writeFileSync(
      path,
      readFileSync(path, "utf8").replace("town: text ..80", "town: text ..80, label Nearest town"),
    );
    await page.getByLabel("Nearest town").waitFor({ timeout: 30_000 });
    await page.close();
  });

  it("has nothing to complain about", () => {
    expect(complaints).toEqual([]);
  });
});
