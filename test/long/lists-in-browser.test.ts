import { readFileSync } from "node:fs";
import type { Browser, Page } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { noBrowser, openBrowser, speak, widthOf } from "../support/browser.ts";
import { demoModel } from "../support/demo.ts";
import { kinds, projectOn } from "../support/kinds.ts";
import { type Running, running } from "../support/program.ts";

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

describe.skipIf(noBrowser).each(kinds)("lists in a browser, over $kind", (kind) => {
  const project = projectOn(kind, demoModel());
  let app: Running;
  let browser: Browser;

  beforeAll(async () => {
    app = await running(["rise"], project.folder);
    browser = await openBrowser();
  }, 60_000);
  afterAll(async () => {
    await browser.close();
    await app.stop();
    await project.remove();
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

  // The pages are the same over all databases.
  it.runIf(!kind.server)(
    "pass an accessibility check and fit their screens, with all that belongs to them",
    async () => {
      for (const [width, language] of [
        [390, "en"],
        [390, "es"],
        [1280, "en"],
        [1920, "en"],
      ] as const) {
        const page = await opened({ width });
        await speak(page, app.address, language);
        const check = async (path: string) => {
          await page.goto(app.address + path);
          const fits = await widthOf(page);
          // A wide screen has what a usual one has, and one language what the other has.
          const isSame = width > 1280 || language !== "en";
          const violations = isSame ? [] : await violationsOn(page);
          expect([path, language, violations, fits]).toEqual([
            path,
            language,
            [],
            { wide: width, outside: [] },
          ]);
        };
        for (const list of lists) {
          await check(`/${list}?totals=yes&size=50`);
          await check(`/${list}/filter`);
          await check(`/${list}/grid`);
        }
        for (const path of [
          "/hives?group=status&status=active&frames.from=1",
          "/hives?layout=cards",
          "/hives?layout=board",
          "/keepers?layout=tree",
          "/harvests?layout=report",
          "/harvests?layout=report&by=hive.apiary&across=date:year&show=sum:weight&show=count",
          "/harvests?layout=report&by=hive.apiary&across=date:year&show=sum:weight&drawn=bars",
          "/harvests?layout=report&by=date:month&across=sort&show=sum:weight&drawn=columns",
          "/harvests?layout=report&by=date:quarter&show=average:weight&drawn=line",
          "/harvests?layout=report&by=sort&drawn=ring",
          "/harvests?layout=report&by=weigth&only=weight+%3E",
          "/hives/import",
          "/hives/columns?group=apiary_id",
          "/hives/views",
          "/hives/export",
          "/hives/export/print",
          "/hives/bulk/change?status=weak",
          "/hives/bulk/change?status=weak&_field=status",
          "/hives/bulk/delete?id=1",
          "/equipment?archived=all",
          "/equipment/1/archive",
          "/-/find?words=sage",
        ])
          await check(path);
        await speak(page, app.address, "en");
        await page.goto(`${app.address}/harvests`);
        await page.getByRole("button", { name: "Filter" }).click();
        await page.locator("#filter-panel").waitFor();
        await page.getByText("As a ring").first().click();
        await page.locator(".ring path").first().waitFor();
        expect([width, await violationsOn(page)]).toEqual([width, []]);
        await page.context().close();
      }
    },
  );

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

  it("are moved on a board by dragging a card, and by the list on it", async () => {
    const page = await opened();
    await page.goto(`${app.address}/queens?layout=board`);
    const column = (name: string) => page.locator(`[data-value="${name}"]`);
    const cards = (name: string) => column(name).locator(".card-record");
    const title = (await cards("valley").first().locator("h3 a").innerText()).trim();
    const before = await cards("island").count();
    await cards("valley")
      .first()
      .dragTo(column("island"), { targetPosition: { x: 40, y: 20 } });
    await page.getByText(`${title}: Island.`).waitFor();
    expect(await cards("island").count()).toBe(before + 1);
    await page.getByLabel(`Move ${title} to`).selectOption("valley");
    await page.getByText(`${title}: Valley.`).waitFor();
    expect(await cards("island").count()).toBe(before);
    await page.context().close();
  }, 60_000);

  it("are kept as views, laid out, summed up, exported, and taken in again from the file", async () => {
    const page = await opened();
    await page.goto(`${app.address}/hives?status=weak`);
    await page.getByRole("link", { name: "Keep this view…" }).click();
    await page.getByLabel("Name").fill("The weak ones");
    await page.getByRole("button", { name: "Save" }).click();
    await page.goto(`${app.address}/hives`);
    const all = await page.locator("tbody tr").count();
    await page.getByRole("link", { name: "The weak ones" }).click();
    await page.waitForURL(/status=weak/);
    const weak = await page.locator("tbody tr").count();
    expect(weak).toBeLessThan(all);
    await page.getByRole("link", { name: "Cards" }).click();
    await page.locator(".card-record").first().waitFor();
    expect(await page.locator(".card-record").count()).toBe(weak);
    await page.goto(`${app.address}/hives?status=weak&totals=yes`);
    expect(await page.locator("tfoot").innerText()).toContain("Sum");
    await page.getByRole("link", { name: "Columns" }).click();
    await page.locator("#place-color").fill("1");
    await page.getByRole("button", { name: "Apply" }).click();
    await page.locator("thead th", { hasText: "Colour of the roof" }).waitFor();
    await page.getByRole("link", { name: "Export" }).click();
    const [file] = await Promise.all([
      page.waitForEvent("download"),
      page.getByRole("link", { name: /^CSV/ }).click(),
    ]);
    const path = await file.path();
    const lines = readFileSync(path, "utf8").trim().split("\r\n");
    expect([lines.length, lines[0]]).toEqual([weak + 1, expect.stringContaining("Colour")]);
    await page.goto(`${app.address}/hives/import`);
    await page.getByLabel("File").setInputFiles({
      name: "hives.csv",
      mimeType: "text/csv",
      buffer: Buffer.from(lines.join("\r\n").replaceAll("Weak", "Active")),
    });
    await page.getByRole("button", { name: "Continue" }).click();
    await page.getByRole("button", { name: "Preview" }).click();
    await page.getByRole("button", { name: `Save ${weak} hives` }).click();
    await page.getByText("Nothing is saved yet").waitFor({ state: "detached" });
    await page.goto(`${app.address}/hives?status=weak`);
    expect(await page.locator("tbody tr .choice").count()).toBe(0);
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

const mapped = `levadura: 1
app: {name: Apiaries, database: sqlite}
entities:
  Apiary:
    title: "{name}"
    layouts: [map spot, table]
    fields:
      name: text, required, unique
      spot: place
    seed: 12
`;

describe.skipIf(noBrowser).each(kinds)("a list as a map in a browser, over $kind", (kind) => {
  it("passes an accessibility check, fits its screen, and leads to its records by the keyboard", async () => {
    const project = projectOn(kind, mapped);
    const app = await running(["rise"], project.folder);
    const browser = await openBrowser();
    try {
      for (const width of [390, 1280]) {
        const page = await browser.newPage({ viewport: { width, height: 844 } });
        await page.goto(`${app.address}/apiaries`);
        const wide = await page.evaluate(() => document.documentElement.scrollWidth);
        expect([width, await violationsOn(page), wide]).toEqual([width, [], width]);
        await page.locator(".map a").first().focus();
        await page.keyboard.press("Enter");
        await page.waitForURL(/\/apiaries\/\d/);
        expect(await page.locator('a[href^="geo:"]').count()).toBe(1);
      }
    } finally {
      await browser.close();
      await app.stop();
      await project.remove();
    }
  }, 60_000);
});

const ordered = `levadura: 1
app: {name: Stations, database: sqlite}
entities:
  Station:
    title: "{name}"
    sort: by hand
    fields: {name: "text, required"}
    seed: {fixed: [{name: S1}, {name: S2}, {name: S3}, {name: S4}, {name: S5}]}
`;

describe.skipIf(noBrowser).each(kinds)("an order by hand in a browser, over $kind", (kind) => {
  it("is put in order by dragging, by keys, and without scripts", async () => {
    const project = projectOn(kind, ordered);
    const app = await running(["rise"], project.folder);
    const browser = await openBrowser();
    try {
      const page = await browser.newPage({ viewport: { width: 390, height: 844 } });
      const order = async (on = page) =>
        (await on.locator("[data-record] a").allTextContents()).join(" ");
      await page.goto(`${app.address}/stations/order`);
      expect(await violationsOn(page)).toEqual([]);
      expect(await order()).toBe("S1 S2 S3 S4 S5");
      const lines = page.locator("[data-record]");
      const answered = () => page.waitForResponse((answer) => answer.request().method() === "GET");
      await Promise.all([
        answered(),
        lines.nth(3).dragTo(lines.nth(0), { targetPosition: { x: 150, y: 3 } }),
      ]);
      await expect.poll(() => order()).toBe("S4 S1 S2 S3 S5");
      await page.getByRole("button", { name: "Move S4 down" }).focus();
      for (const after of ["S1 S4 S2 S3 S5", "S1 S2 S4 S3 S5"]) {
        await page.keyboard.press("Enter");
        await expect.poll(() => order()).toBe(after);
      }
      await page.goto(`${app.address}/stations`);
      const shown = await page.locator("tbody a").allTextContents();
      expect(shown.join(" ")).toContain("S1 S2 S4 S3 S5");
      const bare = await browser.newContext({ javaScriptEnabled: false });
      const plain = await bare.newPage();
      await plain.goto(`${app.address}/stations/order`);
      await plain.getByRole("button", { name: "Move S5 up" }).click();
      await plain.waitForLoadState();
      expect(await order(plain)).toBe("S1 S2 S4 S5 S3");
    } finally {
      await browser.close();
      await app.stop();
      await project.remove();
    }
  }, 60_000);
});
