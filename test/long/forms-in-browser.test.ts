import { writeFileSync } from "node:fs";
import { join } from "node:path";
import type { Browser, Page } from "playwright-core";
import sharp from "sharp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { openBrowser } from "../support/browser.ts";
import { kinds, projectOn, type TestProject } from "../support/kinds.ts";
import { type Running, running, temporaryFolder } from "../support/program.ts";

const model = `levadura: 1
app: {name: Hive Book, language: en-GB, database: sqlite}
users:
  groups: {office: Office}
  rights: {office: everything}
entities:
  Apiary: {seed: 130, fields: {name: "text, required, unique"}}
  Keeper: {seed: 120, fields: {name: "text, required, unique"}}
  Hive:
    title: "{code}"
    seed: 12
    fields:
      code: text ..20, required, unique
      apiary: one Apiary, required
      state: choice good | bad, required
      roof: color
      photo: image, size 1 MB
      papers: file ..3
      traits: tags
      keepers: many Keeper
      notes: long text
`;

describe.each(kinds)("forms in a browser over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let browser: Browser;
  let page: Page;
  let pictures: string[];

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    browser = await openBrowser();
    page = await signedIn();
    const folder = temporaryFolder(true);
    pictures = await Promise.all(
      ["#c98b2b", "#335577"].map(async (background, at) => {
        const path = join(folder, `front ${at}.jpg`);
        const create = { width: 900, height: 600, channels: 3 as const, background };
        await sharp({ create }).jpeg().toFile(path);
        return path;
      }),
    );
    writeFileSync(join(folder, "paid.txt"), "paid\n");
    pictures.push(join(folder, "paid.txt"));
  });
  afterAll(async () => {
    await browser.close();
    await app.stop();
    await project.remove();
  });

  const signedIn = async () => {
    const context = await browser.newContext();
    const opened = await context.newPage();
    await opened.goto(`${app.address}/-/sign-in`);
    await opened.getByRole("button", { name: "Office" }).click();
    await opened.waitForLoadState();
    return opened;
  };
  const choose = async (label: string, words: string) => {
    const box = page.getByRole("combobox", { name: label });
    await box.fill(words);
    const first = page.getByRole("listbox", { name: label }).getByRole("option").first();
    await first.waitFor();
    const text = await first.textContent();
    await box.press("ArrowDown");
    await box.press("Enter");
    return text ?? "";
  };

  it("take pictures, colours, tags and records that are found by typing", async () => {
    await page.goto(`${app.address}/hives/new`);
    expect(await violationsOn(page)).toEqual([]);
    await page.getByLabel("Code").fill("B-100");
    const apiary = await choose("Apiary", "a");
    const keeper = await choose("Keepers", "e");
    expect(await page.getByRole("checkbox", { name: keeper }).isChecked()).toBe(true);
    await page.getByLabel("Good").check();
    await page.getByRole("button", { name: "#d94f3d" }).click();
    expect(await page.locator("#field-roof").inputValue()).toBe("#d94f3d");
    await page.locator("#field-photo").setInputFiles(pictures[0] as string);
    expect(await page.locator(".chosen-files img").count()).toBe(1);
    await page.locator("#field-papers").setInputFiles(pictures[1] as string);
    await page.locator("#field-papers").setInputFiles(pictures[2] as string);
    await page.getByRole("button", { name: "Take out: front 1.jpg" }).click();
    await page.getByRole("combobox", { name: "Traits" }).fill("gentle, ");
    await page.getByLabel("Notes").fill("line one");
    await page.getByLabel("Notes").press("Control+Enter");
    await page.getByText("Hive saved").waitFor();
    const [row] = await project.rows<Record<string, string>>(
      "select h.*, a.name as place from hive h join apiary a on a.id = h.apiary_id where code = 'B-100'",
    );
    expect(row).toMatchObject({ place: apiary, state: "good", roof: "#d94f3d", traits: "gentle" });
    expect(JSON.parse(row?.papers ?? "[]")).toMatchObject([{ name: "paid.txt" }]);
    await page.waitForFunction(
      () => document.querySelector<HTMLImageElement>(".picture img")?.naturalWidth === 320,
    );
    expect(await violationsOn(page)).toEqual([]);
  });

  it("refuse what is too large before it is sent, and offer tags of others", async () => {
    await page.goto(`${app.address}/hives/new`);
    const large = { name: "large.jpg", mimeType: "image/jpeg", buffer: Buffer.alloc(1_200_000, 1) };
    await page.locator("#field-photo").setInputFiles(large);
    const message = () =>
      page
        .locator("#field-photo")
        .evaluate((input) => (input as HTMLInputElement).validationMessage);
    expect(await message()).toMatch(/is larger than 1\sMB/);
    await page.getByRole("button", { name: "Take out: large.jpg" }).click();
    expect(await message()).toBe("");
    expect(await choose("Traits", "gen")).toBe("gentle");
    expect(await page.getByRole("combobox", { name: "Traits" }).inputValue()).toBe("gentle, ");
  });

  it("give back what was typed and not saved", async () => {
    const dialogs: string[] = [];
    page.on("dialog", (dialog) => {
      dialogs.push(dialog.type());
      void dialog.accept();
    });
    await page.goto(`${app.address}/hives/1/edit`);
    await page.getByLabel("Notes").fill("half a sentence");
    await page.goto(`${app.address}/hives`);
    expect(dialogs).toContain("beforeunload");
    // Only to whoever typed it, also where others sign in in the same tab.
    for (const person of ["Administrators", "Office"]) {
      await page.getByRole("button", { name: "Sign out" }).click();
      await page.goto(`${app.address}/-/sign-in`);
      await page.getByRole("button", { name: person }).click();
      await page.goto(`${app.address}/hives/1/edit`);
      expect(await page.getByRole("button", { name: "Put it back" }).count()).toBe(
        person === "Office" ? 1 : 0,
      );
    }
    await page.goto(`${app.address}/hives/1/edit`);
    await page.getByRole("button", { name: "Put it back" }).click();
    expect(await page.getByLabel("Notes").inputValue()).toBe("half a sentence");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("Hive saved").waitFor();
    await page.goto(`${app.address}/hives/1/edit`);
    expect(await page.getByRole("button", { name: "Put it back" }).count()).toBe(0);
  });

  it("choose a record that was added in another tab", async () => {
    await page.goto(`${app.address}/hives/new`);
    const [tab] = await Promise.all([
      page.waitForEvent("popup"),
      page.getByRole("link", { name: "New apiary" }).click(),
    ]);
    await tab.getByLabel("Name").fill("Quite a new place");
    await Promise.all([
      tab.waitForEvent("close"),
      tab.getByRole("button", { name: "Save", exact: true }).click(),
    ]);
    await expect
      .poll(() => page.getByRole("combobox", { name: "Apiary" }).inputValue())
      .toBe("Quite a new place");
  });

  it("let two people settle what both changed", async () => {
    const other = await signedIn();
    await page.goto(`${app.address}/hives/2/edit`);
    await other.goto(`${app.address}/hives/2/edit`);
    await other.getByLabel("Notes").fill("theirs");
    await other.getByRole("combobox", { name: "Traits" }).fill("their tag");
    await other.getByRole("button", { name: "Save" }).click();
    await other.getByText("Hive saved").waitFor();
    await page.getByLabel("Notes").fill("mine");
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("Both of you changed").waitFor();
    expect(await violationsOn(page)).toEqual([]);
    await page.getByLabel("Saved now: theirs").check();
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByText("Hive saved").waitFor();
    expect(await project.rows("select notes, traits from hive where id = 2")).toEqual([
      { notes: "theirs", traits: "their tag" },
    ]);
  });

  it("step through the records of a list", async () => {
    await page.goto(`${app.address}/hives?sort=-code`);
    await page.locator("tbody tr:nth-child(2) a").first().click();
    await page.getByRole("link", { name: "Next" }).click();
    await page.getByRole("link", { name: "Last" }).click();
    // To the first and the previous one, and to the list beside it.
    const steps = page.getByRole("navigation", { name: "In Hives" }).getByRole("link");
    expect(await steps.allTextContents()).toEqual(["First", "Previous", "Side by side"]);
  });
});
