import type { Browser } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { noBrowser, openBrowser } from "./support/browser.ts";
import { kinds, projectOn } from "./support/kinds.ts";
import { named, picture } from "./support/pictures.ts";
import { levadura, type Running, running } from "./support/program.ts";
import { hiddenInputs, inputValue, textOf, Visitor } from "./support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, timezone: UTC, language: en-GB, database: sqlite}
entities:
  Apiary:
    fields: {name: "text, required", town: text, sunny: boolean}
  Hive:
    title: "{code}"
    fields:
      code: text, required
      apiary: one Apiary
      status: choice active | weak | retired, required, default active
      installed: date
      town: text, default = apiary.town
      check_by: date, required, default = installed + 90 days
      again: datetime, default = if(check_by is empty, now, now + 1 days)
      weight: decimal ..40, places 1, default = length(code) / 3
      look: date, default = date(2026, 5, 3) + 14 days
      removed: date, shown when status = 'RETIRED', required
      shade: text, shown when apiary is not empty and not apiary.sunny, required when apiary.town = 'Ulsby'
      keepers: many Keeper, required when status = 'weak'
      photo: image
      caption: text, shown when photo is not empty, required
      secret: text, default = upper(code) & '?'
    sections:
      - Hive: [code, apiary, status, installed, town, check_by, again, weight, look, removed, shade, keepers, photo, caption]
    rules:
      - A retired hive has no photo.: "= status <> 'retired' or photo is empty"
  Keeper:
    fields: {name: "text, required"}
`;

describe.each(kinds)("a form that answers, over $kind", (kind) => {
  const { folder, rows, remove } = projectOn(kind, model);
  let server: Running;
  let visitor: Visitor;
  let browser: Browser;

  beforeAll(async () => {
    if (!noBrowser) browser = await openBrowser();
    for (const command of ["prepare", "migrate", "build"])
      expect(await levadura([command], folder)).toMatchObject({ status: 0 });
    server = await running(["serve"], folder);
    visitor = new Visitor(server.address);
    await visitor.post("/apiaries/new", { name: "Hill", town: "Ormby", sunny: "yes" });
    await visitor.post("/apiaries/new", { name: "Mill", town: "ULSBY" });
    await visitor.post("/keepers/new", { name: "Ana" });
  });
  afterAll(async () => {
    await browser?.close();
    await server.stop();
    await remove();
  });

  const add = (fields: Record<string, string>) => visitor.post("/hives/new", fields);
  const saved = async (code: string) =>
    (await rows(`select * from hive where code = '${code}'`))[0] as Record<string, unknown>;
  const state = async (fields: Record<string, string>, of = "new") =>
    JSON.parse((await visitor.post(`/hives/${of}/form-state`, fields)).html);

  it("fills in what is left blank, and keeps what is typed", async () => {
    const begun = await visitor.get("/hives/new");
    expect(inputValue(begun.html, "look")).toBe("17/05/2026");
    expect(inputValue(begun.html, "check_by")).toBe("");
    expect(textOf(begun.html)).toContain("Check by Left blank, it is filled in.");
    const fields = { code: "abcd", status: "active", installed: "2026-01-10", apiary_id: "1" };
    expect((await add(fields)).status).toBe(200);
    expect(await saved("abcd")).toMatchObject({
      town: "Ormby",
      check_by: "2026-04-10",
      look: null,
      secret: "ABCD?",
    });
    expect(Number((await saved("abcd")).weight)).toBe(1.3);
    expect(String((await saved("abcd")).again)).toMatch(/^20/);
    await add({ ...fields, code: "b", town: "Falton", check_by: "2026-12-01", weight: "7" });
    expect(await saved("b")).toMatchObject({ town: "Falton", check_by: "2026-12-01" });
    expect(Number((await saved("b")).weight)).toBe(7);
    // Without a date to count from, what is required has to be typed.
    const refused = await add({ code: "c", status: "active" });
    expect(refused.status).toBe(422);
    expect(textOf(refused.html)).toContain("Check by: Choose a date.");
    // What is computed has to fit, too.
    const long = await add({ ...fields, code: "x".repeat(130) });
    expect(textOf(long.html)).toContain("Weight: Use 40 or less.");
    expect(inputValue(long.html, "weight")).toBe("43.3");
    // A saved record isn't filled in again.
    const { id, version } = await saved("b");
    const edited = { code: "b", status: "active", _version: String(version) };
    await visitor.post(`/hives/${id}/edit`, { ...edited, check_by: "2026-12-02" });
    expect(await saved("b")).toMatchObject({ town: null, weight: null, check_by: "2026-12-02" });
  });

  it("says what it shows and needs, by what is typed and where that leads", async () => {
    expect(await state({ status: "active" })).toEqual({
      shown: { removed: false, shade: false, caption: false },
      needed: { removed: false, shade: false, caption: false, keepers: false },
    });
    expect(await state({ status: "retired", apiary_id: "2" })).toEqual({
      shown: { removed: true, shade: true, caption: false },
      needed: { removed: true, shade: true, caption: false, keepers: false },
    });
    expect(await state({ status: "weak", apiary_id: "1" })).toMatchObject({
      shown: { shade: false },
      needed: { keepers: true },
    });
    expect(await state({ status: "nonsense", apiary_id: "x" })).toMatchObject({
      shown: { removed: false, shade: false },
    });
    const { id } = await saved("abcd");
    expect(await state({ status: "retired" }, String(id))).toMatchObject({
      shown: { removed: true },
    });
  });

  it("refuses what lacks something that is needed, whoever sends it", async () => {
    const fields = { code: "n", check_by: "2026-01-01" };
    const lacking = await add({ ...fields, status: "retired", apiary_id: "2" });
    expect(lacking.status).toBe(422);
    expect(textOf(lacking.html)).toContain("Removed: Choose a date.");
    expect(textOf(lacking.html)).toContain("Shade: Fill this in.");
    const worse = await add({ status: "retired", apiary_id: "2", weight: "heavy" });
    for (const told of ["Code: Fill", "Weight: Use a number", "Removed: Choose", "Shade: Fill"])
      expect(textOf(worse.html)).toContain(told);
    const weak = await add({ ...fields, status: "weak" });
    expect(textOf(weak.html)).toContain("Keepers: Choose at least one.");
    expect(await saved("n")).toBeUndefined();
    expect((await add({ ...fields, status: "weak", keepers: "1" })).status).toBe(200);
  });

  it("leaves what it doesn't ask for as it is", async () => {
    const fields = { code: "k", check_by: "2026-01-01", status: "retired" };
    await add({ ...fields, removed: "2026-02-02" });
    const { id } = await saved("k");
    const change = (more: Record<string, string | string[]>) =>
      visitor.post(`/hives/${id}/edit`, { ...fields, status: "active", ...more });
    // As a browser sends it that shows no `removed`; `code` is always asked for.
    await change({ _version: "1", _unasked: ["removed", "code"], code: "k" });
    expect(await saved("k")).toMatchObject({ status: "active", removed: "2026-02-02" });
    // As one sends it that knows no scripts.
    await change({ _version: "2", removed: "" });
    expect(await saved("k")).toMatchObject({ status: "active", removed: null });
  });

  it("asks whether a record has files", async () => {
    const photo = named(await picture("jpeg"), "hive.jpg");
    const send = async (fields: Record<string, string | Blob>) => {
      const { html } = await visitor.get("/hives/new");
      const rest = { check_by: "2026-01-01", ...hiddenInputs(html) };
      return visitor.upload("/hives/new", { ...rest, ...fields });
    };
    const bare = await send({ code: "p", status: "active", photo });
    expect(textOf(bare.html)).toContain("Caption: Fill this in.");
    const gone = await send({
      code: "p",
      status: "retired",
      removed: "2026-02-02",
      photo,
      caption: "Old",
    });
    expect(textOf(gone.html)).toContain("A retired hive has no photo.");
    await send({ code: "p", status: "active", photo, caption: "From the south" });
    expect(await saved("p")).toMatchObject({ caption: "From the south" });
    const { id, version } = await saved("p");
    const dropped = { code: "p", status: "active", check_by: "2026-01-01", caption: "Left over" };
    const left = await visitor.post(`/hives/${id}/edit`, { ...dropped, _version: String(version) });
    expect(textOf(left.html)).toContain("Caption: This isn’t asked for as things stand");
    await visitor.post(`/hives/${id}/edit`, { ...dropped, caption: "", _version: String(version) });
    expect(await saved("p")).toMatchObject({ photo: null, caption: null });
  });

  describe.skipIf(noBrowser)("in a browser", () => {
    it("shows and needs fields while something is typed, and saves what it shows", async () => {
      const page = await browser.newPage();
      await page.goto(`${server.address}/hives/new`);
      const removed = page.getByLabel("Removed");
      expect(await removed.isVisible()).toBe(false);
      await page.getByLabel("Code").fill("seen");
      await page.getByLabel("Installed").fill("2026-01-10");
      await page.getByLabel("Retired").check();
      await removed.waitFor();
      expect(await removed.getAttribute("required")).not.toBeNull();
      await removed.fill("2026-03-03");
      await page.getByLabel("Apiary").selectOption({ label: "Mill" });
      await page.getByLabel("Shade").fill("Under the oak");
      await page.getByLabel("Active").check();
      await removed.waitFor({ state: "hidden" });
      expect(await page.getByLabel("Caption").isVisible()).toBe(false);
      const buffer = await picture("jpeg");
      const file = { name: "hive.jpg", mimeType: "image/jpeg", buffer };
      await page.locator("#field-photo").setInputFiles(file);
      await page.getByLabel("Caption").fill("From the south");
      await page.getByRole("button", { name: "Save", exact: true }).click();
      await page.waitForURL(/hives\/\d+/);
      expect(await saved("seen")).toMatchObject({
        removed: null,
        shade: "Under the oak",
        caption: "From the south",
      });
    });

    it("asks for everything where there are no scripts", async () => {
      const page = await browser.newPage({ javaScriptEnabled: false });
      await page.goto(`${server.address}/hives/new`);
      for (const label of ["Removed", "Shade"])
        expect(await page.getByLabel(label).isVisible()).toBe(true);
    });
  });
});

describe("sample rows", () => {
  it("hold to what is needed, and leave out what no form asks for", async () => {
    const { folder, rows, remove } = projectOn({ kind: "sqlite", server: undefined }, model);
    for (const command of ["prepare", "migrate", "seed"])
      expect(await levadura([command], folder)).toMatchObject({ status: 0 });
    const found = await rows("select status, removed, installed, check_by from hive");
    expect(found.length).toBeGreaterThan(5);
    for (const { status, removed } of found) expect(removed !== null).toBe(status === "retired");
    await remove();
  });
});
