import { expect, it } from "vitest";
import { violationsOn } from "../support/accessibility.ts";
import { noBrowser, openBrowser, speak, widthOf } from "../support/browser.ts";
import { demoModel } from "../support/demo.ts";
import { projectWith, running } from "../support/program.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite}
users: {rights: {everyone: see}}
entities:
  Hive: {fields: {code: "text, required"}, seed: 2}
`;
const password = "seven frames of brood";

it.skipIf(noBrowser)(
  "passkeys are made with the password, sign in without it, and are gone when they are removed",
  async () => {
    const app = await running(["rise", "--administrator", "Ana"], projectWith(model));
    const browser = await openBrowser();
    try {
      const address = app.address.replace("127.0.0.1", "localhost");
      const page = await (await browser.newContext()).newPage();
      const authenticator = await page.context().newCDPSession(page);
      await authenticator.send("WebAuthn.enable");
      await authenticator.send("WebAuthn.addVirtualAuthenticator", {
        options: {
          protocol: "ctap2",
          transport: "internal",
          hasResidentKey: true,
          hasUserVerification: true,
          isUserVerified: true,
          automaticPresenceSimulation: true,
        },
      });
      const link = /chooses a password at http:\/\/[^/]+(\S+)/.exec(app.said())?.[1] ?? "";
      await page.goto(address + link);
      await page.getByLabel("Email address").fill("ana@example.org");
      await page.getByLabel("New password").fill(password);
      await page.getByLabel("The same password again").fill(password);
      await page.getByRole("button", { name: "Save the password" }).click();
      await page.waitForURL(`${address}/`);
      await page.goto(`${address}/-/account/passkeys`);
      const add = async (current: string) => {
        await page.getByLabel("Name of the passkey").fill("This computer");
        await page.getByLabel("Current password").fill(current);
        await page.getByRole("button", { name: "Add a passkey" }).click();
      };
      await add("not my password");
      await page.getByText("This isn’t your password.").waitFor();
      await add(password);
      await page.getByRole("cell", { name: "This computer" }).waitFor();
      const signOut = () => page.getByRole("button", { name: "Sign out", exact: true }).click();
      const signIn = () => page.getByRole("button", { name: "Sign in with a passkey" }).click();
      await signOut();
      await page.goto(`${address}/hives`);
      const answers: string[] = [];
      page.on("request", (request) => {
        if (request.url().endsWith("/-/passkey")) answers.push(request.postData() ?? "");
      });
      await signIn();
      await page.waitForURL(`${address}/hives`);
      expect(await page.getByRole("link", { name: "Ana" }).count()).toBe(1);
      // An answer that was used signs nobody in again.
      const replayed = await fetch(`${address}/-/passkey`, {
        method: "POST",
        headers: { origin: address, "content-type": "application/x-www-form-urlencoded" },
        body: answers[0] ?? "",
      });
      expect([answers.length, replayed.status, replayed.headers.get("set-cookie")]).toEqual([
        1,
        422,
        null,
      ]);
      await page.goto(`${address}/-/account/passkeys`);
      await page.getByRole("button", { name: "Remove" }).click();
      await page.getByRole("cell", { name: "This computer" }).waitFor({ state: "detached" });
      await signOut();
      await signIn();
      await page.getByText("This passkey isn’t known here.").waitFor();
    } finally {
      await browser.close();
      await app.stop();
    }
  },
  120_000,
);

it.skipIf(noBrowser)(
  "the pages of people pass an accessibility check, and fit a telephone",
  async () => {
    const model = demoModel().replace(
      "  sign up:",
      "  rights are: start\n  plans: {small: {Hive: 200}, large: }\n  sign up:",
    );
    const app = await running(["rise"], projectWith(model));
    const browser = await openBrowser();
    try {
      for (const width of [1280, 390]) {
        const page = await (
          await browser.newContext({ viewport: { width, height: 800 } })
        ).newPage();
        let speech = "";
        const check = async (path: string) => {
          await page.goto(app.address + path);
          const violations = speech === "" ? await violationsOn(page) : [];
          expect([path, speech, violations, await widthOf(page)]).toEqual([
            path,
            speech,
            [],
            { wide: width, outside: [] },
          ]);
        };
        for (const path of ["sign-in", "sign-up", "forgotten", "mail"]) await check(`/-/${path}`);
        await page.goto(`${app.address}/-/sign-in`);
        await page.getByRole("button", { name: "Administrators" }).click();
        for (const path of [
          "account",
          "account/passkeys",
          "people",
          "people/new",
          "people/1",
          "rights",
          "organisations",
          "activity",
          "log",
        ]) {
          await check(`/-/${path}`);
          if (width > 390) continue;
          // What is longer in another language has room as well.
          speech = "es";
          await speak(page, app.address, "es");
          await check(`/-/${path}`);
          speech = "";
          await speak(page, app.address, "en");
        }
        await check("/hives/as-it-was");
        await check("/hives/1/history");
        await page.goto(`${app.address}/-/sign-in`);
        if (width === 390) await page.getByText("Menu", { exact: true }).click();
        await page.getByRole("button", { name: "Sign out" }).click();
        await page.getByRole("button", { name: "Members" }).click();
        await check("/keepers/1/edit");
      }
    } finally {
      await browser.close();
      await app.stop();
    }
  },
  120_000,
);
