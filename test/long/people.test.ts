import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, projectOn, type TestProject } from "../support/kinds.ts";
import { levadura, projectWith, type Running, running } from "../support/program.ts";
import { textOf, Visitor } from "../support/visitor.ts";

const model = `levadura: 1
app:
  name: Hive Book
  database: sqlite
users:
  groups:
    office: Office
    wardens: Wardens
  rights:
    everyone: see
    office: everything
entities:
  Apiary:
    title: "{name}"
    fields:
      name: text, required
      town: text
    rights: {everyone: see, visitors: see}
  Keeper:
    title: "{name}"
    fields:
      name: text, required
    rights: {office: everything}
  Hive:
    title: "{code}"
    fields:
      code: text, required, unique
      apiary: one Apiary, required
      keeper: one Keeper, required
      helpers: many Keeper
    rights: {everyone: see, wardens: "see, change", office: everything}
  Inspection:
    fields:
      hive: part of Hive
      date: date, required
      frames: integer
`;

const password = (name: string) => `${name} has seven frames`;

describe.each(kinds)("people over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let welcome = "";
  const people = new Map<string, Visitor>();
  const as = (name: string) => people.get(name) ?? expect.fail(`nobody is called ${name}`);
  const nobody = () => new Visitor(app.address);
  const one = async <Row>(statement: string) => (await project.rows<Row>(statement))[0];

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise", "--administrator", "Ana Vidal"], project.folder);
    welcome = /chooses a password at http:\/\/[^/]+(\S+)/.exec(app.said())?.[1] ?? "";
  });
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  /** Follows a link, and chooses a password by it. */
  async function chosen(link: string, name: string, email?: string): Promise<Visitor> {
    const visitor = nobody();
    const secret = { password: password(name), again: password(name) };
    const answer = await visitor.post(link, { ...(email && { email }), ...secret });
    expect([answer.status, answer.path]).toEqual([200, "/"]);
    return visitor;
  }

  it("begin with an administrator, who follows a link that works once", async () => {
    const visitor = nobody();
    const weak = await visitor.post(welcome, {
      email: "nobody",
      password: "passwordpassword",
      again: "passwordpassword",
    });
    expect(weak.status).toBe(422);
    expect(textOf(weak.html)).toMatch(/Use an email address.*passwords that are tried first/s);
    const other = { password: password("Ana"), again: password("Eva") };
    const differs = await visitor.post(welcome, { email: "ana@example.org", ...other });
    expect(textOf(differs.html)).toContain("This isn’t the same password.");
    people.set("Ana", await chosen(welcome, "Ana", " Ana@Example.ORG"));
    expect((await nobody().get(welcome)).status).toBe(404);
    const account = await one<{ email: string; password: string }>(
      "select email, password from levadura_account",
    );
    expect(account?.email).toBe("ana@example.org");
    expect(account?.password).toMatch(/^scrypt:131072:8:1:[\w-]{22}:[\w-]{43}$/);
  });

  it("are invited, several at once, into groups", async () => {
    const lines = "Ben Ash, ben@example.org\r\nCleo, of Weir, cleo@example.org\n";
    const invited = await as("Ana").post("/-/people/new", { people: lines, groups: ["wardens"] });
    const office = await as("Ana").post("/-/people/new", {
      people: "Eva, eva@example.org\nTwice, ANA@example.org",
      groups: ["office", "no such group"],
    });
    expect(textOf(office.html)).toContain("Somebody signs in with this address already.");
    const links = (html: string) =>
      [...html.matchAll(/<code>http:\/\/[^/]+(\/-\/welcome\/[^<]+)/g)].map(([, link = ""]) => link);
    const [ben = "", cleo = "", ...none] = links(invited.html);
    const [eva = ""] = links(office.html);
    expect(none).toEqual([]);
    people.set("Ben", await chosen(ben, "Ben"));
    // Two at once, with two passwords: only one of them is the one to sign in with.
    const both = await Promise.all(
      ["one", "two"].map((word) => {
        const secret = `${word} of seven frames`;
        return nobody().post(cleo, { password: secret, again: secret });
      }),
    );
    expect(both.map(({ status }) => status).sort()).toEqual([200, 404]);
    people.set("Eva", await chosen(eva, "Eva"));
    expect(
      await project.rows(
        "select name, group_name from levadura_account join levadura_membership on account_id = levadura_account.id order by name",
      ),
    ).toEqual([
      { name: "Ana Vidal", group_name: "administrators" },
      { name: "Ben Ash", group_name: "wardens" },
      { name: "Cleo, of Weir", group_name: "wardens" },
      { name: "Eva", group_name: "office" },
    ]);
    const wrong = await as("Ana").post("/-/people/new", { people: "Dan dan@example.org" });
    expect([wrong.status, textOf(wrong.html).includes("“Dan dan@example.org”")]).toEqual([
      422,
      true,
    ]);
  });

  it.each([
    [
      "nobody",
      {
        "/": 200,
        "/apiaries": 200,
        "/hives": "sign in",
        "/keepers": "sign in",
        "/nowhere": "sign in",
        "/-/people": "sign in",
        "/-/account": "sign in",
        "/apiaries/new": "sign in",
      },
    ],
    [
      "Ben",
      {
        "/": 200,
        "/apiaries": 200,
        "/hives": 200,
        "/keepers": 404,
        "/nowhere": 404,
        "/-/people": 404,
        "/-/account": 200,
        "/apiaries/new": 403,
        "/hives/new": 403,
        "/hives/1/edit": 200,
        "/hives/1/delete": 403,
        "/inspections": 200,
        "/inspections/new": 403,
        "/keepers/1": 404,
        "/keepers/new": 404,
      },
    ],
    [
      "Eva",
      {
        "/keepers": 200,
        "/keepers/new": 200,
        "/hives/1/delete": 200,
        "/inspections/new": 200,
        "/apiaries/new": 403,
        "/-/people": 404,
      },
    ],
    ["Ana", { "/keepers": 200, "/apiaries/new": 200, "/-/people": 200, "/nowhere": 404 }],
  ] as const)(
    "%s may open what the groups may, and what isn't for them isn't there",
    async (who, pages) => {
      const visitor = who === "nobody" ? nobody() : as(who);
      const found: Record<string, number | string> = {};
      for (const path of Object.keys(pages)) {
        const { status, path: at } = await visitor.get(path);
        found[path] = at.startsWith("/-/sign-in") ? "sign in" : status;
      }
      expect(found).toEqual(pages);
    },
  );

  it("see no trace of what isn't for them: menu, columns, pages, forms, filters", async () => {
    const { name = "" } =
      (await one<{ name: string }>(
        "select keeper.name from keeper join hive on keeper.id = hive.keeper_id where hive.id = 1",
      )) ?? {};
    const pages = async (visitor: Visitor) => {
      const found = await Promise.all(
        ["/", "/hives", "/hives/1", "/hives/1/edit"].map((path) => visitor.get(path)),
      );
      return found.map(({ html }) => html).join("\n");
    };
    const shown = await pages(as("Eva"));
    expect([shown.includes(name), /Keeper/.test(shown), /Helpers/.test(shown)]).toEqual([
      true,
      true,
      true,
    ]);
    const hidden = await pages(as("Ben"));
    expect([hidden.includes(name), /[Kk]eeper/.test(hidden), /[Hh]elpers/.test(hidden)]).toEqual([
      false,
      false,
      false,
    ]);
    // A filter by a field that isn't there for them is none, as one by a field that there isn't at all.
    const count = async (query: string) =>
      /(\d+) hives/.exec(textOf((await as("Ben").get(`/hives${query}`)).html))?.[1];
    expect(await count("?keeper_id=1&helpers.blank=yes")).toBe(await count("?no_such_field=1"));
  });

  it("change what they may, and can't reach by a form what isn't for them", async () => {
    const row = () =>
      one<{ code: string; keeper_id: number; apiary_id: number }>(
        "select code, keeper_id, apiary_id from hive where id = 1",
      );
    const helpers = () =>
      project.rows("select * from hive_helpers where hive_id = 1 order by keeper_id");
    const [before, helped] = [await row(), await helpers()];
    const saved = await as("Ben").submit("/hives/1/edit", { code: "B-1", apiary_id: "1" });
    expect([saved.status, saved.path]).toEqual([200, "/hives/1-b-1"]);
    expect(await row()).toEqual({ ...before, code: "B-1", apiary_id: 1 });
    // What the form doesn't offer can't be sent either.
    const sneaky = await as("Ben").submit("/hives/1/edit", {
      code: "B-2",
      apiary_id: "1",
      keeper_id: "2",
      helpers: ["1", "2"],
    });
    expect(sneaky.status).toBe(200);
    expect(await row()).toEqual({ ...before, code: "B-2", apiary_id: 1 });
    expect(await helpers()).toEqual(helped);
    const forbidden = await as("Ben").post("/hives/1/delete", { _version: "3", _parts: "0" });
    expect(forbidden.status).toBe(403);
    const anonymous = await nobody().post("/hives/1/edit", { code: "B-9" });
    expect(anonymous.status).toBe(401);
    expect(textOf(anonymous.html)).toContain("What you typed isn’t lost");
    expect((await row())?.code).toBe("B-2");
  });

  it("sign in by the same words, known or not, and are kept from guessing", async () => {
    const visitor = nobody();
    const unknown = await visitor.post("/-/sign-in", { email: "dan@example.org", password: "x" });
    const wrong = await visitor.post("/-/sign-in", { email: "ben@example.org", password: "x" });
    expect(wrong.html.replace("ben@", "dan@")).toBe(unknown.html);
    expect(wrong.status).toBe(422);
    const led = await visitor.post("/-/sign-in", {
      email: "BEN@example.org",
      password: password("Ben"),
      to: "/hives?page=1",
    });
    expect(led.path).toBe("/hives?page=1");
    const away = await nobody().post("/-/sign-in", {
      email: "ben@example.org",
      password: password("Ben"),
      to: "//evil.example/",
    });
    expect(away.path).toBe("/");
    const guesses = await Promise.all(
      Array.from({ length: 14 }, (_, at) =>
        nobody().post("/-/sign-in", { email: "cleo@example.org", password: `guess ${at}` }),
      ),
    );
    // Those that are sent at once may count each other, but never fewer.
    const refused = guesses.filter(({ status }) => status === 429).length;
    expect([refused >= 4, refused < 14]).toEqual([true, true]);
    const right = await nobody().post("/-/sign-in", {
      email: "cleo@example.org",
      password: password("Cleo"),
    });
    expect([right.status, textOf(right.html).includes("too many attempts")]).toEqual([429, true]);
  }, 120_000);

  it("get a new session at each sign-in, of which the database has only a digest", async () => {
    const planted = { cookie: `session=${"x".repeat(43)}` };
    const answer = await fetch(`${app.address}/-/sign-in`, {
      method: "POST",
      redirect: "manual",
      headers: { ...planted, origin: app.address },
      body: new URLSearchParams({ email: "eva@example.org", password: password("Eva") }),
    });
    const [cookie = ""] = answer.headers.getSetCookie().filter((line) => /session=[^;]/.test(line));
    const secret = /^session=([\w-]{43});/.exec(cookie)?.[1] ?? "";
    expect(secret).not.toBe("x".repeat(43));
    expect(cookie).toMatch(/HttpOnly/i);
    expect(cookie).toMatch(/SameSite=Lax/i);
    expect(answer.headers.get("cache-control")).toBe("no-store");
    const kept = JSON.stringify(await project.rows("select * from levadura_session"));
    expect(kept).not.toContain(secret);
    const use = () =>
      fetch(`${app.address}/keepers`, {
        headers: { cookie: `session=${secret}` },
        redirect: "manual",
      });
    expect((await use()).status).toBe(200);
    await fetch(`${app.address}/-/sign-out`, {
      method: "POST",
      redirect: "manual",
      headers: { cookie: `session=${secret}`, origin: app.address },
    });
    expect((await use()).status).toBe(302);
  });

  it("have an account of their own: name, language, password, sessions", async () => {
    const account = "/-/account";
    const spanish = await as("Ben").post(account, {
      name: "Ben A.",
      language: "es",
      timezone: "Europe/Madrid",
      appearance: "dark",
    });
    expect(textOf(spanish.html)).toContain("Tu cuenta");
    expect(spanish.html).toContain('<html lang="es" data-appearance="dark"');
    expect((await as("Eva").get(account)).html).toContain("Your account");
    await as("Ben").post(account, { name: "Ben A.", language: "", timezone: "" });
    const odd = await as("Ben").post(account, { name: " ", language: "xx", timezone: "Mars" });
    expect(odd.status).toBe(422);
    const elsewhere = nobody();
    const signIn = (secret: string) =>
      elsewhere.post("/-/sign-in", { email: "ben@example.org", password: secret });
    await signIn(password("Ben"));
    const change = { password: "another twelve frames", again: "another twelve frames" };
    const wrong = await as("Ben").post(`${account}/password`, { current: "x", ...change });
    expect(textOf(wrong.html)).toContain("This isn’t your password.");
    const changed = await as("Ben").post(`${account}/password`, {
      current: password("Ben"),
      ...change,
    });
    expect(textOf(changed.html)).toContain("You are signed out everywhere else.");
    expect((await elsewhere.get("/hives")).path).toMatch(/^\/-\/sign-in/);
    expect((await signIn(password("Ben"))).status).toBe(422);
    expect((await signIn("another twelve frames")).path).toBe("/");
    await as("Ben").post(`${account}/sessions`, {});
    expect((await elsewhere.get("/hives")).path).toMatch(/^\/-\/sign-in/);
    expect((await as("Ben").get("/hives")).status).toBe(200);
  }, 120_000);

  it("see lists as they were, if they may see histories", async () => {
    const eva = as("Eva");
    const hive = { apiary_id: "1", keeper_id: "1", helpers: ["2"] };
    for (const code of ["WAS-1", "WAS-2"]) await eva.submit("/hives/new", { code, ...hive });
    const id = async (code: string) =>
      (await one<{ id: number }>(`select id from hive where code = '${code}'`))?.id;
    const [first, second] = [await id("WAS-1"), await id("WAS-2")];
    const moment = new Date().toISOString().slice(0, 19);
    await new Promise((resolve) => setTimeout(resolve, 1100));
    await eva.submit(`/hives/${first}/edit`, {
      code: "IS-1",
      ...hive,
      keeper_id: "3",
      helpers: [],
    });
    await eva.submit(`/hives/${second}/delete`);
    await eva.submit("/hives/new", { code: "IS-3", ...hive });
    const at = (when: string) => eva.get(`/hives/as-it-was?at=${when}`);
    const codes = (html: string) => html.match(/(?:WAS|IS)-\d/g);
    expect(codes((await at(moment)).html)).toEqual(["WAS-1", "WAS-2"]);
    const later = new Date(Date.now() + 60_000).toISOString().slice(0, 16);
    expect(codes((await at(later)).html)).toEqual(["IS-1", "IS-3"]);
    const [was, is] = [await at(moment), await at(later)].map(({ html }) =>
      /<tr><td>(?:WAS|IS)-1<.*?<\/tr>/s.exec(html)?.[0].match(/\/keepers\/\d/g),
    );
    expect([was, is]).toEqual([["/keepers/1", "/keepers/2"], ["/keepers/3"]]);
    expect((await at("yesterday")).status).toBe(422);
    expect((await as("Ben").get(`/hives/as-it-was?at=${moment}`)).status).toBe(403);
  });

  it("are managed by administrators, of whom one is always left", async () => {
    const idOf = async (name: string) =>
      (await one<{ id: number }>(`select id from levadura_account where name = '${name}'`))?.id;
    const [ana, eva] = [`/-/people/${await idOf("Ana Vidal")}`, `/-/people/${await idOf("Eva")}`];
    const acts: Record<string, string>[] = [
      { do: "save" },
      { do: "suspend" },
      { do: "remove", sure: "yes" },
    ];
    for (const act of acts) {
      const refused = await as("Ana").post(ana, act);
      expect([act.do, refused.status]).toEqual([act.do, 422]);
      expect(textOf(refused.html)).toContain("Nobody would be left who can manage people.");
    }
    for (const act of [...acts, { do: "save", groups: "administrators" }])
      expect((await as("Eva").post(eva, act)).status).toBe(404);
    await as("Ana").post(eva, { do: "suspend" });
    expect((await as("Eva").get("/hives")).path).toMatch(/^\/-\/sign-in/);
    const signIn = { email: "eva@example.org", password: password("Eva") };
    const suspended = await nobody().post("/-/sign-in", signIn);
    expect(suspended.status).toBe(422);
    await as("Ana").post(eva, { do: "readmit" });
    // Two at once can't leave nobody.
    await as("Eva").post("/-/sign-in", signIn);
    await as("Ana").post(eva, { do: "save", groups: ["office"] });
    expect((await as("Eva").get("/hives")).status).toBe(200);
    await as("Ana").post(eva, { do: "save", groups: ["office", "administrators"] });
    // Other rights need a new session.
    expect((await as("Eva").get("/hives")).path).toMatch(/^\/-\/sign-in/);
    await as("Eva").post("/-/sign-in", signIn);
    const both = await Promise.all([
      as("Ana").post(eva, { do: "suspend" }),
      as("Eva").post(ana, { do: "suspend" }),
    ]);
    expect(both.map(({ status }) => status).sort()).not.toEqual([200, 200]);
    const left = await project.rows(
      "select levadura_account.id from levadura_account join levadura_membership on account_id = levadura_account.id where group_name = 'administrators' and suspended_at is null",
    );
    expect(left.length).toBeGreaterThan(0);
  }, 120_000);
});

it("without sign-in, an application listens to this machine only, unless it is told", async () => {
  const folder = projectWith("levadura: 1\nentities:\n  Hive:\n    fields:\n      code: text\n");
  const refused = await levadura(["rise", "--host", "0.0.0.0"], folder);
  expect(refused.status).toBe(2);
  expect(refused.err).toMatch(/nobody signs in.*--open-to-everyone/s);
  const nobody = await levadura(["rise", "--administrator", "Ana"], folder);
  expect([nobody.status, nobody.err]).toEqual([
    2,
    expect.stringMatching(/no administrator.*users:/s),
  ]);
  const open = await running(["rise", "--host", "0.0.0.0", "--open-to-everyone"], folder);
  expect((await new Visitor(open.address).get("/hives")).status).toBe(200);
  await open.stop();
});

it("are there when the project is started again, and nothing is pending then", async () => {
  const folder = projectWith(model);
  const { out } = await levadura(["changes"], folder);
  expect(out.match(/people who sign in are new: account, /g)?.length).toBe(1);
  expect(out).not.toContain("levadura_");
  for (const turn of [1, 2]) {
    const app = await running(["rise", "--administrator", "Ana"], folder);
    expect(app.said().includes("0001-begin"), `start ${turn}`).toBe(turn === 1);
    expect((await new Visitor(app.address).get("/apiaries")).status).toBe(200);
    await app.stop();
  }
  expect((await levadura(["changes", "--check"], folder)).status).toBe(0);
});

describe.each(kinds)("rights that administrators change over $kind", (kind) => {
  const changeable = (are: string) => `levadura: 1
app: {name: Hive Book, database: sqlite}
users:
  rights are: ${are}
  groups: {members: Members}
entities:
  Hive:
    title: "{code}"
    fields: {code: "text, required", price: money}
    seed: 3
    rights: {everyone: see, members: [see, change where code = 'H-001', "hide price"]}
`;
  /** A group that an administrator makes: it gives nothing at first, then what it is given, and nothing once it is gone. */
  async function ownGroup(administrator: Visitor, member: Visitor, project: TestProject) {
    const made = await administrator.post("/-/groups", { label: "<b>Helpers" });
    expect([made.status, made.path]).toEqual([200, "/-/rights?group=own%3A1"]);
    expect(made.html).toContain("&lt;b&gt;Helpers");
    const again = await administrator.post("/-/groups", { label: "MEMBERS" });
    expect([again.status, textOf(again.html).includes("of this name already")]).toEqual([
      422,
      true,
    ]);
    const [{ id = 0 } = {}] = await project.rows<{ id: number }>(
      "select id from levadura_account where email = 'members@sample.invalid'",
    );
    await administrator.post(`/-/people/${id}`, { do: "save", groups: ["own:1"] });
    await member.post("/-/sample", { group: "members" });
    expect((await member.get("/hives/2/edit")).status).toBe(403);
    await administrator.post("/-/rights", { group: "own:1", "hive change": "all" });
    expect((await member.get("/hives/2/edit")).status).toBe(200);
    await administrator.post("/-/groups", { group: "own:1", do: "save", label1: "Hands" });
    expect(textOf((await administrator.get("/-/people")).html)).toContain("Hands");
    const asked = await administrator.post("/-/groups", { group: "own:1", do: "remove" });
    expect(textOf(asked.html)).toContain("1 person is in it");
    await administrator.post("/-/groups", { group: "own:1", do: "remove", sure: "yes" });
    expect((await member.get("/hives/2/edit")).status).toBe(403);
    expect((await administrator.get("/-/rights?group=own:1")).html).not.toContain("Hands");
    for (const table of ["levadura_group", "levadura_right"])
      expect(await project.rows(`select * from ${table}`)).toEqual([]);
  }

  it.each(["ceiling", "start"])(
    "are within the model: a %s",
    async (are) => {
      const project = projectOn(
        kind,
        changeable(are).replace(
          "app: {name: Hive Book, database: sqlite}",
          "app:\n  name: Hive Book\n  database: sqlite",
        ),
      );
      const app = await running(["rise", "--administrator", "Ana"], project.folder);
      try {
        const [administrator, member] = [new Visitor(app.address), new Visitor(app.address)];
        const link = /chooses a password at http:\/\/[^/]+(\S+)/.exec(app.said())?.[1] ?? "";
        const secret = { password: password("Ana"), again: password("Ana") };
        await administrator.post(link, { email: "ana@example.org", ...secret });
        await member.post("/-/sample", { group: "members" });
        const statuses = async () =>
          Promise.all(
            ["/hives", "/hives/1/edit", "/hives/2/edit", "/hives/2/delete"].map(
              async (path) => (await member.get(path)).status,
            ),
          );
        expect(await statuses()).toEqual([200, 200, 403, 403]);
        const set = (group: string, given: Record<string, string>) =>
          administrator.post("/-/rights", { group, ...given });
        expect(textOf((await administrator.get("/-/rights?group=members")).html)).toContain(
          "Some (model)",
        );
        expect((await member.get("/-/rights")).status).toBe(404);
        expect(
          (await member.post("/-/rights", { group: "members", "hive delete": "all" })).status,
        ).toBe(404);
        await set("members", { "hive change": "all", "hive delete": "all" });
        // Beyond a ceiling there is nothing.
        expect(await statuses()).toEqual(
          are === "start" ? [200, 200, 200, 200] : [200, 200, 403, 403],
        );
        if (are === "start")
          expect((await member.get("/hives/2/edit")).html).not.toContain('name="price"');
        await set("members", { "hive change": "none" });
        expect(await statuses()).toEqual([200, 403, 403, 403]);
        await set("members", { "hive see": "none", "hive change": "none" });
        await set("everyone", { "hive see": "none" });
        expect(await statuses()).toEqual([404, 404, 404, 404]);
        await set("everyone", {});
        await set("members", {});
        expect(await statuses()).toEqual([200, 200, 403, 403]);
        const log = await project.rows<{ details: string }>(
          "select details from levadura_change where action = 'rights'",
        );
        expect(log.length).toBe(are === "start" ? 6 : 5);
        expect((await set("administrators", { "hive see": "none" })).status).toBe(404);
        expect((await administrator.get("/-/groups")).status).toBe(are === "start" ? 200 : 404);
        expect((await member.post("/-/groups", { label: "Helpers" })).status).toBe(404);
        if (are === "start") await ownGroup(administrator, member, project);
      } finally {
        await app.stop();
        await project.remove();
      }
    },
    60_000,
  );
});

describe.each(kinds)("rights on some rows over $kind", (kind) => {
  const own = `levadura: 1
app:
  name: Hive Book
  database: sqlite
users:
  record: Keeper
  groups: {members: Members, wardens: Wardens}
entities:
  Keeper:
    title: "{name}"
    fields: {name: "text, required, unique"}
    seed: 4
    rights: {members: [see, change where id = me]}
  Apiary:
    title: "{name}"
    fields: {name: "text, required, unique", warden: one Keeper}
    seed: 6
    rights: {everyone: see}
  Hive:
    title: "{code}"
    fields:
      code: text ..6, required, unique
      apiary: one Apiary, required
      keepers: many Keeper
      frames: integer 0..20
    seed: 40
    rights:
      members: [see where keepers includes me, change where keepers includes me and frames > 5]
      wardens: [everything where apiary.warden = me]
  Inspection:
    title: "{hive}"
    fields: {hive: part of Hive, words: text}
    seed: 80
    rights:
      members: ["see, add where hive.keepers includes me", delete where hive.apiary.warden <> me]
  Note:
    title: "{words}"
    fields:
      words: text, required
      author: user, default me
      answers: user
      mine: "= author = me"
    rules:
      - A note is changed by its author: "= author is empty or author = me"
    rights: {everyone: ["see, add, change", read only author]}
    seed: 2
  Complaint:
    fields: {words: "text, required"}
    rights: {everyone: add}
`;
  let project: TestProject;
  let app: Running;
  let ana: Visitor;
  let member: Visitor;
  let warden: Visitor;
  const me = { member: 1, warden: 2 };

  beforeAll(async () => {
    project = projectOn(kind, own);
    app = await running(["rise", "--administrator", "Ana"], project.folder);
    const link = /chooses a password at http:\/\/[^/]+(\S+)/.exec(app.said())?.[1] ?? "";
    const chosen = async (path: string, email?: string) => {
      const visitor = new Visitor(app.address);
      const secret = { password: password("Nobody"), again: password("Nobody") };
      expect((await visitor.post(path, { ...secret, ...(email && { email }) })).path).toBe("/");
      return visitor;
    };
    ana = await chosen(link, "ana@example.org");
    const invited = async (name: string, group: string, record: number) => {
      const people = `${name}, ${name}@example.org`;
      const { html } = await ana.post("/-/people/new", { people, groups: group });
      const path = /<code>http:\/\/[^/]+(\S+?)</.exec(html)?.[1] ?? "";
      const [{ id = 0 } = {}] = await project.rows<{ id: number }>(
        `select id from levadura_account where name = '${name}'`,
      );
      const fields = { do: "save", groups: [group], record: String(record) };
      expect((await ana.post(`/-/people/${id}`, fields)).path).toContain("done=saved");
      const taken = await ana.post("/-/people/1", { ...fields, groups: ["administrators"] });
      expect(textOf(taken.html)).toContain("Somebody else is this record already.");
      return chosen(path);
    };
    member = await invited("member", "members", me.member);
    warden = await invited("warden", "wardens", me.warden);
  });
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  interface HiveRow {
    id: number;
    code: string;
    frames: number | null;
    warden_id: number | null;
  }
  const hives = () =>
    project.rows<HiveRow>(
      "select hive.id, code, frames, warden_id from hive join apiary on apiary.id = apiary_id order by hive.id",
    );
  const kept = async () =>
    new Set(
      (
        await project.rows<{ hive_id: number }>(
          `select hive_id from hive_keepers where keeper_id = ${me.member}`,
        )
      ).map(({ hive_id }) => hive_id),
    );
  /** The numbers of the records that a list leads to, on all of its pages. */
  async function listed(visitor: Visitor, path: string): Promise<number[]> {
    const found = new Set<number>();
    for (let page = 1; page < 9; page++) {
      const { html } = await visitor.get(`${path}?page=${page}`);
      for (const [, id] of html.matchAll(new RegExp(`href="${path}/(\\d+)(?:-[^"/]*)?"`, "g")))
        found.add(Number(id));
      if (!html.includes(`page=${page + 1}"`)) break;
    }
    return [...found].sort((one, other) => one - other);
  }
  const numbers = (rows: readonly { id: number }[]) => rows.map(({ id }) => id);

  it("show, change and delete what a plain look at the rows allows, and nothing else", async () => {
    const [all, mine] = [await hives(), await kept()];
    const seen = all.filter(({ id }) => mine.has(id));
    expect([seen.length > 1, seen.length < 39]).toEqual([true, true]);
    expect(await listed(member, "/hives")).toEqual(numbers(seen));
    const guarded = all.filter(({ warden_id }) => warden_id === me.warden);
    expect(guarded.length).toBeGreaterThan(0);
    expect(await listed(warden, "/hives")).toEqual(numbers(guarded));
    for (const { id, frames, warden_id } of all) {
      const at = async (visitor: Visitor, end: string) =>
        (await visitor.get(`/hives/${id}${end}`)).status;
      const page = await member.get(`/hives/${id}`);
      const changes = mine.has(id) && (frames ?? 0) > 5;
      const links = [page.html.includes('/edit"'), page.html.includes('/delete"')];
      expect([
        id,
        page.status,
        await at(member, "/edit"),
        await at(member, "/delete"),
        ...links,
      ]).toEqual(
        mine.has(id)
          ? [id, 200, changes ? 200 : 403, 403, changes, false]
          : [id, 404, 404, 403, false, false],
      );
      const its = warden_id === me.warden ? 200 : 404;
      expect([
        id,
        await at(warden, ""),
        await at(warden, "/edit"),
        await at(warden, "/delete"),
      ]).toEqual([id, its, its, its]);
    }
    const home = (await member.get("/")).html;
    expect(/href="\/hives">\s*Hives<\/a><span class="count">(\d+)/.exec(home)?.[1]).toBe(
      String(seen.length),
    );
  }, 240_000);

  it("leave a log of what was done, by whom, in the transaction in which it was done", async () => {
    const mine = await kept();
    const hive = (await hives()).find(({ id, frames }) => mine.has(id) && (frames ?? 0) > 5);
    const entries = (what: string) =>
      project.rows<{ account_name: string; action: string; record_id: number; details: string }>(
        `select account_name, action, record_id, details from levadura_change where ${what} order by id`,
      );
    const ofHive = () => entries(`entity_table = 'hive' and record_id = ${hive?.id}`);
    const before = await ofHive();
    const path = `/hives/${hive?.id}/edit`;
    await member.submit(path, { code: "NEW-1", frames: "7", apiary_id: "1", keepers: ["1"] });
    // What was refused, or changed nothing, isn't there.
    await member.submit(path, { code: "", frames: "8", apiary_id: "1", keepers: ["1"] });
    await member.submit(path, { code: "NEW-1", frames: "7", apiary_id: "1", keepers: ["1"] });
    const [change, ...more] = (await ofHive()).slice(before.length);
    expect([change?.account_name, change?.action, more]).toEqual(["member", "change", []]);
    const { code, frames } = JSON.parse(change?.details ?? "") as Record<string, unknown>;
    expect([code, frames]).toEqual([
      [hive?.code, "NEW-1"],
      hive?.frames === 7 ? undefined : [hive?.frames, 7],
    ]);
    expect((await member.get(`/hives/${hive?.id}/history`)).status).toBe(403);
    const guarded = (await hives()).find(({ warden_id }) => warden_id === me.warden);
    const parts = await project.rows<{ id: number }>(
      `select id from inspection where hive_id = ${guarded?.id} order by id`,
    );
    await warden.submit(`/hives/${guarded?.id}/edit`, { code: "GONE", apiary_id: "" });
    const page = await warden.get(`/hives/${guarded?.id}/history`);
    expect(page.status).toBe(200);
    await ana.submit(`/hives/${guarded?.id}/delete`);
    const deleted = await entries("action = 'delete'");
    expect(deleted.map(({ account_name, record_id }) => [account_name, record_id])).toEqual(
      [guarded?.id, ...parts.map(({ id }) => id)].map((id) => ["Ana", id]),
    );
    await member.get(`/keepers/${me.warden}/edit`);
    expect((await entries("action = 'refused'")).at(-1)).toMatchObject({
      account_name: "member",
      details: JSON.stringify({ path: `/keepers/${me.warden}/edit` }),
    });
    const log = textOf((await ana.get("/-/log?who=member")).html);
    expect(log).toMatch(/Changed\s+Hive\s+NEW-1/);
    const older = textOf((await ana.get("/-/log?who=member&page=2")).html);
    expect(log + older).toContain("Chose a password");
    expect(log).not.toContain("Deleted");
    expect((await warden.get("/-/log")).status).toBe(404);
  }, 120_000);

  it("can be tried under `rise` as a sample of each group, who nobody can be elsewhere", async () => {
    const visitor = new Visitor(app.address);
    expect(textOf((await visitor.get("/-/sign-in?to=/hives")).html)).toContain(
      "Members Wardens Administrators",
    );
    const led = await visitor.post("/-/sample", { group: "wardens", to: "/hives" });
    expect([led.status, led.path]).toEqual([200, "/hives"]);
    const [sample] = await project.rows<{ password: string | null; record_id: number }>(
      "select password, record_id from levadura_account where name = 'Wardens (sample)'",
    );
    expect(sample).toEqual({ password: null, record_id: 3 });
    expect((await visitor.post("/-/sample", { group: "nobody" })).status).toBe(404);
    const again = new Visitor(app.address);
    await again.post("/-/sample", { group: "wardens" });
    const accounts = await project.rows(
      "select id from levadura_account where name = 'Wardens (sample)'",
    );
    expect(accounts.length).toBe(1);
    await levadura(["build"], project.folder);
    const served = await running(["serve"], project.folder);
    const other = new Visitor(served.address);
    expect((await other.get("/-/sign-in")).html).not.toContain("/-/sample");
    // Nobody in particular can't tell it from what isn't there.
    expect((await other.post("/-/sample", { group: "administrators" })).status).toBe(401);
    expect((await other.get("/keepers")).path).toMatch(/^\/-\/sign-in/);
    await served.stop();
  }, 120_000);

  it("hold along references, for what is added, and for one's own record", async () => {
    const mine = await kept();
    const inspections = await project.rows<{ id: number; hive_id: number }>(
      "select id, hive_id from inspection order by id",
    );
    const seen = inspections.filter(({ hive_id }) => mine.has(hive_id));
    const others = (await hives())
      .filter(({ warden_id }) => warden_id !== me.member)
      .map(({ id }) => id);
    // What may be deleted is seen, too.
    const all = inspections.filter(({ hive_id }) => mine.has(hive_id) || others.includes(hive_id));
    expect(await listed(member, "/inspections")).toEqual(numbers(all));
    const [first] = seen;
    const strange = (await hives()).find(({ id }) => !mine.has(id));
    const add = (hive: number | undefined) =>
      member.submit("/inspections/new", { hive_id: String(hive), words: "calm" });
    expect((await add(first?.hive_id)).status).toBe(200);
    const count = () => project.rows("select id from inspection");
    const before = (await count()).length;
    // That hive isn't even there for the member.
    expect(textOf((await add(strange?.id)).html)).toContain(
      "A record that was chosen here no longer exists.",
    );
    expect((await count()).length).toBe(before);
    expect((await member.get(`/keepers/${me.member}/edit`)).status).toBe(200);
    expect((await member.get(`/keepers/${me.warden}/edit`)).status).toBe(403);
    const renamed = await member.submit(`/keepers/${me.member}/edit`, { name: "Mia" });
    expect(renamed.status).toBe(200);
    const refused = await member.post(`/keepers/${me.warden}/edit`, {
      name: "Mia too",
      _version: "1",
    });
    expect(refused.status).toBe(403);
  }, 120_000);

  it("know who asks in defaults, computed fields and rules, too", async () => {
    const form = await member.get("/notes/new");
    expect(textOf(form.html)).toMatch(/Author .*You can see this, but not change it\./);
    expect(form.html).not.toContain('name="author_id"');
    const added = await member.submit("/notes/new", { words: "calm" });
    expect(textOf(added.html)).toMatch(/Author Mia Answers Mine Yes/);
    const [note] = await project.rows<{ id: number; author_id: number }>(
      "select id, author_id from note where words = 'calm'",
    );
    expect(note?.author_id).toBe(me.member);
    const edit = `/notes/${note?.id}/edit`;
    expect((await member.submit(edit, { words: "calmer" })).status).toBe(200);
    const others = await warden.submit(edit, { words: "mine now" });
    expect([others.status, textOf(others.html).includes("is changed by its author")]).toEqual([
      422,
      true,
    ]);
    expect(textOf((await warden.get(`/notes/${note?.id}`)).html)).toMatch(/Mine No/);
    const forged = await member.submit("/notes/new", { words: "forged", author_id: "2" });
    expect(textOf(forged.html)).toContain("You may not change this.");
    // Nobody asks where rows are checked without an application.
    expect((await levadura(["changes", "--check"], project.folder)).status).toBe(0);
  }, 120_000);

  it("keep lists under a name, for themselves or for a group", async () => {
    const views = "/hives/views?frames.from=6&sort=-code&page=2";
    const grouped = "/hives/views?group=apiary_id&after=3";
    const kept1 = await member.post(grouped, { do: "keep", name: "By apiary", group: "" });
    expect(kept1.path).toBe("/hives?group=apiary_id");
    const [whole] = await project.rows<{ id: number; query: string }>(
      "select id, query from levadura_view",
    );
    expect(whole?.query).toBe("group=apiary_id");
    await member.post("/hives/views", { do: "drop", view: String(whole?.id) });
    const kept = await member.post(views, {
      do: "keep",
      name: "Strong <b>hives",
      group: "members",
    });
    expect([kept.status, kept.path]).toEqual([200, "/hives?frames.from=6&sort=-code"]);
    expect(kept.html).toContain("Strong &lt;b&gt;hives");
    expect((await member.post(views, { do: "keep", name: "", group: "" })).status).toBe(422);
    // With a group that one isn't in, nothing is shared.
    expect((await member.post(views, { do: "keep", name: "X", group: "wardens" })).status).toBe(
      404,
    );
    await member.post(views, { do: "keep", name: "My own", group: "" });
    const names = async (visitor: Visitor) =>
      textOf(/<nav class="views".*?<\/nav>/s.exec((await visitor.get("/hives")).html)?.[0] ?? "");
    expect(await names(member)).toMatch(/My own.*Strong/);
    expect(await names(warden)).not.toMatch(/My own|Strong/);
    const other = new Visitor(app.address);
    await other.post("/-/sample", { group: "members" });
    expect(await names(other)).toMatch(/Strong/);
    expect(await names(other)).not.toMatch(/My own/);
    const all = await project.rows<{ id: number; name: string; query: string }>(
      "select id, name, query from levadura_view order by id",
    );
    expect(all.map(({ query }) => query)).toEqual([
      "frames.from=6&sort=-code",
      "frames.from=6&sort=-code",
    ]);
    // One of those that somebody sees can be what they begin with.
    const shared = { do: "start", view: String(all[0]?.id) };
    expect((await warden.post("/hives/views", shared)).status).toBe(404);
    await other.post("/hives/views", shared);
    const start = async (to?: string) =>
      (await other.post("/-/sample", { group: "members", ...(to && { to }) })).path;
    expect(await start()).toBe("/hives?frames.from=6&sort=-code");
    expect(await start("/apiaries")).toBe("/apiaries");
    await other.post("/hives/views", { ...shared, do: "end start" });
    expect(await start()).toBe("/");
    for (const view of all)
      expect((await other.post("/hives/views", { do: "drop", view: String(view.id) })).status).toBe(
        404,
      );
    await member.post("/hives/views", { do: "drop", view: String(all[0]?.id) });
    expect(await names(other)).not.toMatch(/Strong/);
  });

  it("let people add what they may not see, one after the other", async () => {
    const added = await member.submit("/complaints/new", { words: "The bees sting" });
    expect([added.status, added.path]).toEqual([200, "/complaints/new"]);
    expect(textOf(added.html)).toContain("Complaint saved");
    expect((await member.get("/complaints")).status).toBe(404);
    expect(
      await project.rows("select words from complaint where words = 'The bees sting'"),
    ).toHaveLength(1);
  });

  it("offer those who can sign in where a field holds a `user`, and take nobody else", async () => {
    const { html } = await member.get("/notes/new");
    const select = /<select[^>]*name="answers_id".*?<\/select>/s.exec(html)?.[0] ?? "";
    const offered = [...select.matchAll(/value="(\d+)"/g)].map(([, id]) => Number(id));
    await ana.submit("/keepers/new", { name: "Nobody yet" });
    const [someone] = await project.rows<{ id: number }>(
      "select id from keeper where name = 'Nobody yet'",
    );
    const people = await project.rows<{ record_id: number }>(
      "select record_id from levadura_account where record_id is not null order by record_id",
    );
    expect(offered.sort()).toEqual(people.map(({ record_id }) => record_id));
    const note = (answers: number) =>
      ana.submit("/notes/new", { words: "Who feeds them?", answers_id: String(answers) });
    expect(textOf((await note(someone?.id ?? 0)).html)).toContain(
      "A record that was chosen here no longer exists.",
    );
    expect((await note(me.warden)).path).toMatch(/^\/notes\/\d+/);
    const [account] = await project.rows<{ id: number }>(
      `select id from levadura_account where record_id = ${me.warden}`,
    );
    await ana.post(`/-/people/${account?.id}`, { do: "suspend" });
    expect(textOf((await note(me.warden)).html)).toContain("no longer exists");
    await ana.post(`/-/people/${account?.id}`, { do: "resume" });
  });
});
