import type { Browser, Locator, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { noBrowser, openBrowser } from "../support/browser.ts";
import { kinds, projectOn } from "../support/kinds.ts";
import { Chance } from "../support/pairs.ts";
import { levadura, type Running, running } from "../support/program.ts";

const model = `levadura: 1
app:
  name: Meadows
  database: sqlite
entities:
  Meadow:
    title: "{name}"
    fields:
      name: text ..40, required, unique
  Stand:
    title: "{code}"
    columns: [code, meadow, state, frames, checked, wooden, tools, remarks, double]
    sort: code
    fields:
      code: text ..10, required, unique
      meadow: one Meadow
      state: choice new | used | broken, default new, required
      frames: integer 0..40
      checked: date
      wooden: boolean
      tools: many Tool
      remarks: long text
      double: = frames * 2
  Tool:
    title: "{name}"
    fields:
      name: text ..40, required
`;

describe.skipIf(noBrowser).each(kinds)("rows in a grid over $kind", (kind) => {
  const { folder, rows, remove } = projectOn(kind, model);
  let app: Running;
  let browser: Browser;

  beforeAll(async () => {
    for (const command of ["prepare", "migrate", "build"])
      expect((await levadura([command], folder)).status).toBe(0);
    app = await running(["serve"], folder);
    browser = await openBrowser();
    const page = await browser.newPage();
    for (const [list, names] of [
      ["meadows", ["Sage Field", "Heather Top", "Sage Brook"]],
      ["tools", ["Smoker", "Brush"]],
    ] as const) {
      await grid(page, list);
      for (const name of names) await type(page, name);
      await saved(page);
    }
    await page.context().close();
  }, 90_000);
  afterAll(async () => {
    await browser.close();
    await app.stop();
    await remove();
  });

  const grid = async (page: Page, list: string) => {
    await page.goto(`${app.address}/${list}/grid`);
    await cell(page, -1, 0).click();
  };
  /** A cell by its place; rows are counted from the end where they are negative. */
  const cell = (page: Page, row: number, column: number): Locator =>
    page.locator("tbody tr").nth(row).locator("td").nth(column);
  /** Types into the cell, and goes to the one below. */
  const type = async (page: Page, text: string) => {
    await page.keyboard.type(text);
    await page.keyboard.press("Enter");
  };
  const saved = (page: Page) =>
    page.locator('[data-state="saved"]', { hasText: "All saved" }).waitFor();
  const stands = () => rows("select code, frames, state, version from stand order by code");
  const paste = (page: Page, text: string) =>
    page.evaluate((text) => {
      const clipboardData = new DataTransfer();
      clipboardData.setData("text/plain", text);
      document.activeElement?.dispatchEvent(
        new ClipboardEvent("paste", { clipboardData, bubbles: true, cancelable: true }),
      );
    }, text);
  const opened = async (): Promise<Page> => {
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
    const page = await context.newPage();
    await grid(page, "stands");
    return page;
  };

  it("are typed by the keyboard alone, with records and choices found by their names", async () => {
    const page = await opened();
    await page.keyboard.type("A1");
    await page.keyboard.press("Tab");
    await page.keyboard.type("sage b");
    await page.getByRole("option", { name: "Sage Brook" }).waitFor();
    await page.keyboard.press("Tab");
    await page.keyboard.type("us");
    await page.getByRole("option", { name: "used" }).waitFor();
    await page.keyboard.press("Tab");
    await page.keyboard.type("12");
    await page.keyboard.press("Tab");
    await page.keyboard.type("2026-05-03");
    await page.keyboard.press("Tab");
    await page.keyboard.type("ye");
    await page.keyboard.press("Tab");
    await page.keyboard.type("sm");
    await page.getByRole("option", { name: "Smoker" }).waitFor();
    await page.keyboard.press("Enter");
    await page.keyboard.type("br");
    await page.getByRole("option", { name: "Brush" }).waitFor();
    await page.keyboard.press("Enter");
    await page.keyboard.press("Tab");
    await page.keyboard.type("one");
    await page.keyboard.press("Alt+Enter");
    await page.keyboard.type("two");
    await page.keyboard.press("Tab");
    await page.keyboard.press("Tab");
    await saved(page);
    const [row] =
      await rows(`select stand.code, meadow.name, state, frames, checked, wooden, remarks,
      (select count(*) from stand_tools where stand_id = stand.id) as tools
      from stand join meadow on meadow.id = meadow_id`);
    expect(row).toEqual({
      code: "A1",
      name: "Sage Brook",
      state: "used",
      frames: 12,
      checked: "2026-05-03",
      wooden: expect.anything(),
      remarks: "one\ntwo",
      tools: 2,
    });
    // What is computed follows.
    expect(await cell(page, 0, 8).innerText()).toBe("24");
    expect(await violationsOn(page)).toEqual([]);
    await page.context().close();
  }, 60_000);

  it("take cells from a spreadsheet, fill down, and take all of it back", async () => {
    const page = await opened();
    await paste(page, 'B1\tHeather Top\tbroken\t1\nB2\t\t"new"\t2\nB3\tSage Field\tUsed\t3\n');
    await saved(page);
    const codes = ["A1", "B1", "B2", "B3"];
    expect((await stands()).map(({ code }) => code)).toEqual(codes);
    await cell(page, 1, 3).click();
    await page.keyboard.press("Shift+ArrowDown");
    await page.keyboard.press("Shift+ArrowDown");
    await page.keyboard.press("Control+d");
    await saved(page);
    expect((await stands()).map(({ frames }) => frames)).toEqual([12, 1, 1, 1]);
    await page.keyboard.press("Control+z");
    await saved(page);
    expect((await stands()).map(({ frames }) => frames)).toEqual([12, 1, 2, 3]);
    await page.keyboard.press("Control+y");
    await saved(page);
    expect((await stands()).map(({ frames }) => frames)).toEqual([12, 1, 1, 1]);
    await page.keyboard.press("Control+z");
    await saved(page);
    const copied = await page.evaluate(() => {
      const clipboardData = new DataTransfer();
      document.activeElement?.dispatchEvent(
        new ClipboardEvent("copy", { clipboardData, bubbles: true, cancelable: true }),
      );
      return clipboardData.getData("text/plain");
    });
    expect(copied).toBe("2");
    await page.context().close();
  }, 60_000);

  it("say what is wrong in the cell, and keep it until it is mended", async () => {
    const page = await opened();
    await cell(page, 0, 3).click();
    await type(page, "many");
    const wrong = cell(page, 0, 3);
    await page.locator('[data-state="wrong"]').waitFor();
    expect(await wrong.getAttribute("aria-invalid")).toBe("true");
    await wrong.click();
    await page.locator("[data-note]", { hasText: "Use a whole number." }).waitFor();
    expect(await violationsOn(page)).toEqual([]);
    await cell(page, 1, 1).click();
    await page.keyboard.type("nowhere");
    await page.getByText("Nothing matches.").waitFor();
    await page.keyboard.press("Enter");
    await cell(page, 1, 1).click();
    await page.locator("[data-note]", { hasText: "None is called “nowhere”." }).waitFor();
    expect((await stands()).map(({ frames }) => frames)).toEqual([12, 1, 2, 3]);
    // A reload keeps what was typed and isn't saved.
    page.on("dialog", (dialog) => void dialog.accept());
    await page.reload();
    expect(await cell(page, 0, 3).innerText()).toBe("many");
    await cell(page, 0, 3).click();
    await type(page, "13");
    await cell(page, 1, 1).click();
    await page.keyboard.press("Delete");
    await saved(page);
    expect((await stands())[0]).toMatchObject({ frames: 13 });
    await page.context().close();
  }, 60_000);

  it("show both values where two people change one cell, and join changes of different ones", async () => {
    const [one, other] = [await opened(), await opened()];
    await cell(one, 0, 3).click();
    await type(one, "20");
    await saved(one);
    // Another cell of the same row: joined.
    await cell(other, 0, 2).click();
    await other.keyboard.type("brok");
    await other.keyboard.press("Enter");
    await saved(other);
    expect(await cell(other, 0, 3).innerText()).toBe("20");
    expect((await stands())[0]).toMatchObject({ frames: 20, state: "broken" });
    // The same cell: asked.
    await cell(other, 0, 3).click();
    await type(other, "21");
    await saved(other);
    await cell(one, 0, 3).click();
    await type(one, "22");
    await one.locator('[data-state="wrong"]').waitFor();
    await cell(one, 0, 3).click();
    await one.locator("[data-note]", { hasText: "Somebody else saved “21” here" }).waitFor();
    expect((await stands())[0]).toMatchObject({ frames: 21 });
    await one.getByRole("button", { name: "Use mine" }).click();
    await saved(one);
    expect((await stands())[0]).toMatchObject({ frames: 22 });
    await cell(other, 0, 3).click();
    await type(other, "23");
    await other.locator('[data-state="wrong"]').waitFor();
    await cell(other, 0, 3).click();
    await other.getByRole("button", { name: "Use theirs" }).click();
    await saved(other);
    expect(await cell(other, 0, 3).innerText()).toBe("22");
    expect((await stands())[0]).toMatchObject({ frames: 22 });
    await one.context().close();
    await other.context().close();
  }, 60_000);

  it("lose nothing and save nothing twice when the connection drops, before or after the server has it", async () => {
    const page = await opened();
    await page.context().setOffline(true);
    await cell(page, 1, 3).click();
    await type(page, "31");
    await cell(page, -1, 0).click();
    await type(page, "C1");
    await page.locator('[data-state="offline"]').waitFor();
    await page.context().setOffline(false);
    await page.evaluate(() => dispatchEvent(new Event("online")));
    await saved(page);
    expect((await stands())[1]).toMatchObject({ code: "B1", frames: 31 });
    expect((await stands()).filter(({ code }) => code === "C1")).toHaveLength(1);
    // The answer gets lost, after the server has saved.
    let lost = 0;
    await page.route("**/stands/grid", async (route) => {
      if (route.request().method() !== "POST" || lost++ > 0) return route.continue();
      await route.fetch();
      return route.abort();
    });
    const before = (await stands()).length;
    await cell(page, -1, 0).click();
    await type(page, "D1");
    await saved(page);
    expect(lost).toBeGreaterThan(1);
    expect(await stands()).toHaveLength(before + 1);
    // The same, and the page is loaded again before it hears of it.
    await page.unroute("**/stands/grid");
    await page.route("**/stands/grid", async (route) => {
      if (route.request().method() !== "POST") return route.continue();
      await route.fetch();
      return route.abort();
    });
    await cell(page, -1, 0).click();
    await type(page, "E1");
    await page.locator('[data-state="offline"]').waitFor();
    await page.unroute("**/stands/grid");
    page.on("dialog", (dialog) => void dialog.accept());
    await page.reload();
    await saved(page);
    expect((await stands()).filter(({ code }) => code === "E1")).toHaveLength(1);
    await page.context().close();
  }, 60_000);

  it("hold what is on the screen after any pastes, and show no markup of it", async () => {
    const page = await opened();
    const chance = new Chance(19);
    const texts = [
      "<b>x</b>",
      "' or 1=1 --",
      "=1+1",
      "\u202eabc",
      '"',
      "7",
      "",
      "Sage Field",
      "used",
      "yes",
    ];
    for (let turn = 0; turn < 12; turn++) {
      const rows = 1 + chance.below(3);
      const width = 1 + chance.below(6);
      const cells = Array.from({ length: rows }, () =>
        Array.from({ length: width }, () => `"${chance.of(texts).replaceAll('"', '""')}"`),
      );
      await cell(page, chance.below(4), chance.below(8)).click();
      await paste(page, cells.map((row) => row.join("\t")).join("\n"));
    }
    await page.locator('[data-state="saved"], [data-state="wrong"]').waitFor();
    expect(await page.locator("tbody td b").count()).toBe(0);
    // Whatever isn't marked is in the database.
    const shown = await page
      .locator("tbody tr[data-id]")
      .evaluateAll((rows) =>
        rows
          .filter((row) => !row.querySelector("[data-wrong], .unsaved"))
          .map((row) =>
            [...row.querySelectorAll("td")].map((td) => td.dataset.text ?? "").slice(0, 4),
          ),
      );
    const found = await rows(
      `select code, coalesce((select name from meadow where id = meadow_id), '') as meadow, state, frames from stand`,
    );
    const stored = found.map((row) => Object.values(row).join("|").toLowerCase());
    expect(shown.length).toBeGreaterThan(0);
    for (const row of shown) expect(stored).toContain(row.join("|").toLowerCase());
    await page.context().close();
  }, 60_000);
});
