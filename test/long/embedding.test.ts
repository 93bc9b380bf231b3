import { rmSync } from "node:fs";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import type { Browser, BrowserContext, Frame } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { noBrowser, openBrowser } from "../support/browser.ts";
import { rowsOf } from "../support/database.ts";
import { projectWith, type Running, running } from "../support/program.ts";
import { hiddenInputs, textOf, Visitor } from "../support/visitor.ts";

const today = new Date().toISOString().slice(0, 10);

const model = (origin: string) => `levadura: 1
app: {name: Hive Book, database: sqlite}
users: {groups: {office: Office}, rights: {office: everything}}
entities:
  Apiary:
    plural: Apiaries
    rights: {office: everything, visitors: see}
    fields: {name: "text, required, unique", opened: date, owner: text}
    reports: {By owner: {by: owner, show: count, drawn: bars}}
    seed:
      fixed:
        - {name: Alder bank, opened: ${today}, owner: Ida}
        - {name: Beech hill, opened: ${today}, owner: Jo}
  Hive:
    title: "{code}"
    rights: {office: everything, visitors: see}
    fields: {code: "text, required", apiary: one Apiary}
    seed: {fixed: [{code: H-1, apiary: Alder bank}]}
  Swarm:
    rights: {office: everything, visitors: add}
    fields: {place: "text, required", apiary: one Apiary, notes: long text}
    seed: 0
embedded:
  apiaries: {list: Apiary, origins: "${origin}"}
  apiary: {record: Apiary, origins: "${origin}"}
  hives: {list: Hive, origins: "${origin}"}
  swarm: {form: Swarm, origins: "${origin}", limit: 3}
  owners: {report: Apiary, view: By owner, origins: "${origin}"}
  opened: {calendar: Apiary, origins: "${origin}"}
`;

/** The rows that people sent. */
const places = (folder: string) =>
  rowsOf(join(folder, "records.db"), "select place from swarm order by id").map(
    ({ place }) => place,
  );

describe.skipIf(noBrowser)("pages in other sites", () => {
  let site: Server;
  let origin: string;
  let folder: string;
  let application: Running;
  let browser: Browser;
  let context: BrowserContext;
  beforeAll(async () => {
    site = createServer(({ url = "/" }, answer) => {
      const path = decodeURIComponent(url.slice(1));
      const { address } = application;
      answer.setHeader("content-type", "text/html");
      answer.end(`<!doctype html><title>Bees of the valley</title><h1>Bees</h1>
<iframe src="${address}/${path}" title="Bees" width="100%"></iframe>
<script src="${address}/-/assets/embedding.js" defer></script>`);
    });
    await new Promise<void>((resolve) => site.listen(0, "127.0.0.1", resolve));
    // Another site than the application: the name is another one.
    origin = `http://localhost:${(site.address() as AddressInfo).port}`;
    folder = projectWith(model(origin), true);
    application = await running(["rise"], folder);
    browser = await openBrowser();
    context = await browser.newContext();
  });
  afterAll(async () => {
    await browser?.close();
    await application?.stop();
    site?.close();
    rmSync(folder, { recursive: true, force: true });
  });

  /** A page of the other site, and what is in its frame. */
  const framed = async (path: string) => {
    const page = await context.newPage();
    await page.goto(`${origin}/${encodeURIComponent(path)}`);
    const frame = page.frames()[1] as Frame;
    await frame.waitForLoadState();
    return { page, frame };
  };

  it("take a form, as high as it is, and thank for it", async () => {
    const { page, frame } = await framed("-/embedded/swarm");
    const high = await frame
      .locator("body")
      .evaluate((body) => body.getBoundingClientRect().height);
    expect(high).toBeGreaterThan(200);
    await expect
      .poll(() => page.locator("iframe").evaluate((each) => (each as HTMLElement).style.height))
      .toBe(`${Math.ceil(high)}px`);
    await frame.getByRole("button", { name: "Send" }).click();
    await frame.getByLabel("Place").fill("Old oak");
    await frame.getByLabel("Apiary").selectOption({ label: "Beech hill" });
    await frame.getByRole("button", { name: "Send" }).click();
    await frame.getByText("Thank you").waitFor();
    expect(places(folder)).toEqual(["Old oak"]);
    await page.close();
  });

  it("show the same to whoever is signed in, and lead nowhere else", async () => {
    const office = await Visitor.of(application.address, "office");
    const [name = "", value = ""] =
      office.cookie
        .split("; ")
        .find((each) => each.startsWith("session="))
        ?.split("=") ?? [];
    expect(value).not.toBe("");
    await context.addCookies([{ name, value, url: application.address, sameSite: "Lax" }]);
    const { page, frame } = await framed("-/embedded/apiaries");
    expect(await frame.locator("body").innerText()).not.toMatch(/New apiary|Sign out|Office/);
    await frame.getByRole("link", { name: "Alder bank" }).click();
    await frame.getByText("H-1").waitFor();
    expect(new URL(frame.url()).pathname).toBe("/-/embedded/apiary/1-alder-bank");
    expect(await frame.getByRole("link", { name: "H-1" }).count()).toBe(0);
    for (const path of ["apiaries", "hives", "owners", "opened", "swarm", "apiary/1"]) {
      const { html } = await office.get(`/-/embedded/${path}`);
      const links = [...html.matchAll(/<a\s[^>]*href="([^"]*)"/g)].map(([, href]) => href);
      expect(
        links.filter((href) => !href?.startsWith("/-/embedded/") && !href?.startsWith("#")),
      ).toEqual([]);
      expect(html).not.toContain("Office");
    }
    await page.close();
  });

  it("search, sort and turn pages where they are", async () => {
    const visitor = new Visitor(application.address);
    const found = await visitor.get("/-/embedded/apiaries?search=beech&sort=-name");
    expect(textOf(found.html)).toContain("Beech hill");
    expect(textOf(found.html)).not.toContain("Alder bank");
    expect((await visitor.get("/-/embedded/owners")).html).toContain("<svg");
    expect(textOf((await visitor.get("/-/embedded/opened")).html)).toContain("Alder bank");
    expect((await visitor.get("/-/embedded/apiary/77")).status).toBe(404);
  });

  it("pass an accessibility check, and fit a narrow frame", async () => {
    const page = await context.newPage();
    await page.setViewportSize({ width: 390, height: 700 });
    for (const path of [
      "apiaries",
      "apiary/1",
      "hives",
      "swarm",
      "swarm?sent=yes",
      "owners",
      "opened",
    ]) {
      await page.goto(`${application.address}/-/embedded/${path}`);
      const wide = await page.evaluate(() => document.documentElement.scrollWidth);
      expect([path, await violationsOn(page), wide]).toEqual([path, [], 390]);
    }
    await page.close();
  });

  it("are framed by the sites that are named, and no other page is", async () => {
    const visitor = new Visitor(application.address);
    const policy = async (path: string) =>
      (await visitor.get(path)).headers.get("content-security-policy");
    expect(await policy("/-/embedded/swarm")).toContain(`frame-ancestors 'self' ${origin};`);
    for (const path of ["/", "/apiaries", "/-/sign-in", "/-/embedded", "/-/embedded/none"]) {
      expect(await policy(path)).toContain("frame-ancestors 'none'");
    }
    const { page, frame } = await framed("apiaries");
    expect(await frame.locator("body").innerText()).not.toContain("Alder bank");
    await page.close();
  });

  it("keep nothing of robots, and take so many forms of one address", async () => {
    const visitor = new Visitor(application.address);
    const send = async (fields: Record<string, string>) => {
      const { html } = await visitor.get("/-/embedded/swarm");
      return visitor.post("/-/embedded/swarm", { ...hiddenInputs(html), ...fields });
    };
    const robot = await send({ place: "Buy", _homepage: "https://spam.example" });
    expect(textOf(robot.html)).toContain("Thank you");
    expect(places(folder)).toEqual(["Old oak"]);
    expect((await send({ place: "Two" })).status).toBe(200);
    const late = await send({ place: "Three" });
    expect(late.status).toBe(429);
    expect(textOf(late.html)).toContain("Wait 15 minutes");
    expect(places(folder)).toEqual(["Old oak", "Two"]);
  });

  it("are listed for administrators, with the code for a site", async () => {
    const administrator = await Visitor.of(application.address, "administrators");
    const { html } = await administrator.get("/-/embedded");
    expect(textOf(html)).toContain(`<iframe src="${application.address}/-/embedded/swarm"`);
    expect((await administrator.get("/-/people")).html).toContain('href="/-/embedded"');
    const office = await Visitor.of(application.address, "office");
    expect((await office.get("/-/embedded")).status).toBe(404);
  });
});
