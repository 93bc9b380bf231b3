import { symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { sql } from "kysely";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { kinds, modelOn, projectOn, type TestProject } from "../support/kinds.ts";
import { levadura, type Running, repository, running } from "../support/program.ts";
import { administrator } from "../support/servers.ts";
import { textOf, Visitor } from "../support/visitor.ts";

const model = (organisations: string) => `levadura: 1
app:
  name: Hive Book
  database: sqlite
users:
  record: Keeper
${organisations}  groups: {members: Members}
  rights: {everyone: see, members: everything}
entities:
  Region:
    title: "{name}"
    fields: {name: "text, required, unique"}
${organisations && "    shared: yes\n"}    seed: 2
  Keeper:
    title: "{name}"
    fields: {name: "text, required, unique"}
    seed: 3
  Apiary:
    title: "{name}"
    fields:
      name: text, required, unique
      region: one Region
      warden: user, default me
      size: "= count(hives)"
    seed: 4
  Hive:
    title: "{code}"
    fields:
      code: text, required, unique
      apiary: one Apiary, required
      keepers: many Keeper
    seed: 9
`;
const password = "seven frames of brood";

describe.each(kinds)("organisations over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let ana: Visitor;
  let ben: Visitor;
  let eva: Visitor;
  const paths = ["/apiaries", "/hives", "/keepers"];
  const count = async (table: string, organisation: number) =>
    (await project.rows(`select id from ${table} where organisation_id = ${organisation}`)).length;
  const goTo = (visitor: Visitor, organisation: string) =>
    visitor.post("/-/organisations", { do: "go to", organisation });
  const chosen = async (link: string, email?: string) => {
    const visitor = new Visitor(app.address);
    const secret = { password, again: password };
    expect((await visitor.post(link, { ...secret, ...(email && { email }) })).status).toBe(200);
    return visitor;
  };
  const invited = async (by: Visitor, people: string, groups: string) => {
    const { html } = await by.post("/-/people/new", { people, groups });
    return { text: textOf(html), link: /<code>http:\/\/[^/]+(\S+?)</.exec(html)?.[1] ?? "" };
  };

  beforeAll(async () => {
    project = projectOn(kind, model(""));
    const { folder } = project;
    for (const command of [["prepare"], ["migrate"], ["seed"]])
      expect((await levadura(command, folder)).status).toBe(0);
    writeFileSync(
      join(folder, "model.yaml"),
      modelOn(kind, model("  organisations: Association\n")),
    );
    app = await running(["rise", "--administrator", "Ana"], folder);
    const link = /chooses a password at http:\/\/[^/]+(\S+)/.exec(app.said())?.[1] ?? "";
    ana = await chosen(link, "ana@example.org");
  }, 60_000);
  afterAll(async () => {
    await app.stop();
    await project.remove();
  });

  it("are an ordinary migration, after which all rows belong to the first", async () => {
    expect((await levadura(["changes", "--check"], project.folder)).status).toBe(0);
    expect(await count("hive", 1)).toBe(9);
    expect(textOf((await ana.get("/hives")).html)).toContain("H-001");
    expect(textOf((await ana.get("/")).html)).toMatch(/Hive Book.*People.*Ana/);
  });

  it("begin empty, and with a name", async () => {
    const blank = await ana.post("/-/organisations", { do: "begin", new: " " });
    expect([blank.status, textOf(blank.html).includes("Fill this in.")]).toEqual([422, true]);
    expect((await ana.post("/-/organisations", { do: "begin", new: "Coast" })).path).toBe("/");
    const home = textOf((await ana.get("/")).html);
    expect(home).toMatch(/Coast People Ana/);
    for (const path of paths) expect(textOf((await ana.get(path)).html)).not.toMatch(/H-0|of 9/);
    // What is shared is there, too.
    expect((await ana.get("/regions")).html.match(/href="\/regions\/\d/g)?.length).toBe(2);
    const renamed = await ana.post("/-/organisations", { do: "rename", name: "Coast\r\nbees" });
    expect(textOf(renamed.html)).toContain("Coast bees");
    const stored = await project.rows("select name from levadura_organisation where id = 2");
    expect(stored).toEqual([{ name: "Coast bees" }]);
  });

  it("keep their records apart in every position of an address and a form", async () => {
    const ids = { apiaries: 4, hives: 9, keepers: 3 };
    for (const [path, most] of Object.entries(ids)) {
      for (let id = 1; id <= most; id++) {
        for (const end of ["", "/edit", "/delete", "/history"])
          expect([path, id, end, (await ana.get(`/${path}/${id}${end}`)).status]).toEqual([
            path,
            id,
            end,
            404,
          ]);
        expect(
          (await ana.post(`/${path}/${id}/edit`, { _version: "1", name: "x", code: "x" })).status,
        ).toBe(409);
        expect((await ana.post(`/${path}/${id}/delete`, { _version: "1" })).status).toBe(404);
      }
    }
    for (const query of ["?apiary_id=1", "?keepers=1", "?search=H-0"])
      expect((await ana.get(`/hives${query}`)).html).not.toMatch(/href="\/hives\/\d/);
    const form = await ana.get("/hives/new?apiary_id=1");
    expect(form.html).not.toMatch(/<option value="\d/);
    const foreign = await ana.submit("/hives/new", { code: "X-1", apiary_id: "1" });
    expect(textOf(foreign.html)).toContain("A record that was chosen here no longer exists.");
    const forged = { name: "Dune", organisation_id: "1" };
    expect((await ana.submit("/apiaries/new", forged)).status).toBe(200);
    expect(await count("apiary", 2)).toBe(1);
    const [dune] = await project.rows<{ id: number }>("select id from apiary where name = 'Dune'");
    // What is unique is so within one organisation.
    const [first] = await project.rows<{ code: string }>("select code from hive where id = 1");
    const same = { code: String(first?.code), apiary_id: String(dune?.id) };
    expect((await ana.submit("/hives/new", same)).status).toBe(200);
    const again = await ana.submit("/hives/new", same);
    expect([again.status, textOf(again.html).includes("Another hive has this already.")]).toEqual([
      422,
      true,
    ]);
    expect([await count("hive", 1), await count("hive", 2)]).toEqual([9, 1]);
    expect(textOf((await ana.get(`/apiaries/${dune?.id}`)).html)).toMatch(/Size 1/);
    await goTo(ana, "1");
    expect((await ana.get(`/apiaries/${dune?.id}`)).status).toBe(404);
    expect(textOf((await ana.get("/hives")).html)).toContain("9 hives");
  }, 60_000);

  it("have people of their own, who may be in several, with other groups in each", async () => {
    eva = await chosen((await invited(ana, "Eva, eva@example.org", "members")).link);
    await goTo(ana, "2");
    ben = await chosen((await invited(ana, "Ben, ben@example.org", "administrators")).link);
    expect((await goTo(ben, "1")).status).toBe(404);
    expect(textOf((await ben.get("/-/people")).html)).not.toContain("eva@example.org");
    const joined = await invited(ben, "Eva, EVA@example.org", "");
    expect(joined.text).toContain("Has an account already");
    expect((await invited(ben, "Eva, eva@example.org", "members")).text).toContain("already");
    expect((await eva.get("/hives/new")).status).toBe(200);
    await goTo(eva, "2");
    expect([(await eva.get("/hives")).status, (await eva.get("/hives/new")).status]).toEqual([
      200, 403,
    ]);
    const [account] = await project.rows<{ id: number }>(
      "select id from levadura_account where email = 'eva@example.org'",
    );
    const page = `/-/people/${account?.id}`;
    // Of somebody who is in others, an organisation decides about their place in it alone.
    for (const action of ["link", "suspend", "sign out", "second factor"])
      expect((await ben.post(page, { do: action })).status).toBe(404);
    const [warden] = await project.rows<{ id: number }>("select min(id) as id from keeper");
    const taken = await ben.post(page, {
      do: "save",
      groups: "members",
      record: String(warden?.id),
    });
    expect(textOf(taken.html)).toContain("A record that was chosen here no longer exists.");
    expect((await ben.post(page, { do: "save", groups: "members" })).path).toContain("done=saved");
    const [own] = await project.rows<{ id: number }>(
      "select id from levadura_account where email = 'ana@example.org'",
    );
    await goTo(ana, "1");
    expect((await ben.post(page, { do: "remove", sure: "yes" })).path).toBe("/-/people");
    expect((await ben.get(page)).status).toBe(404);
    expect((await goTo(eva, "2")).status).toBe(404);
    await goTo(eva, "1");
    expect((await eva.get("/hives/new")).status).toBe(200);
    // Nobody is left out: each keeps an administrator of its own.
    const last = await ana.post(`/-/people/${own?.id}`, { do: "save", groups: "members" });
    expect(textOf(last.html)).toContain("Nobody would be left who can manage people.");
  }, 60_000);

  it("got sample people by `seed`, one for each group, as whom `rise` lets one sign in", async () => {
    const samples = () =>
      project.rows<{ email: string; password: string | null; record: number }>(
        `select account.id, email, password, coalesce(account.record_id, 0) as record, group_name
         from levadura_account account join levadura_membership m on m.account_id = account.id
         where email like '%@sample.invalid' and organisation_id = 1 and group_name <> 'everyone'
         order by account.id`,
      );
    const made = await samples();
    expect(made).toMatchObject([
      { email: "members@sample.invalid", password: null, record: 1, group_name: "members" },
      { email: "administrators@sample.invalid", record: 2, group_name: "administrators" },
    ]);
    await new Visitor(app.address).post("/-/sample", { group: "members" });
    expect(await samples()).toEqual(made);
  });

  it("get no rows from files and samples that could be taken for those of another one", async () => {
    for (const command of [
      ["seed", "Hive", "--rows", "20"],
      ["seed", "--empty-first", "--yes"],
    ]) {
      const { status, err } = await levadura(command, project.folder);
      expect([status, err]).toEqual([
        1,
        expect.stringContaining("of other organisations than the first"),
      ]);
    }
    expect([await count("hive", 1), await count("hive", 2)]).toEqual([9, 1]);
  });

  it("keep their logs apart, and letters to those who run the application", async () => {
    const coast = textOf((await ben.get("/-/log")).html);
    expect(coast).toContain("Dune");
    expect(coast).toMatch(/Ben \S+ Signed in/);
    expect(coast).not.toContain("eva@example.org, members");
    const served = await running(["serve"], project.folder);
    const visitor = new Visitor(served.address);
    await visitor.post("/-/sign-in", { email: "ben@example.org", password });
    expect((await visitor.get("/-/people")).status).toBe(200);
    expect((await visitor.get("/-/mail")).status).toBe(404);
    expect((await visitor.post("/-/organisations", { do: "begin", new: "Mine" })).status).toBe(404);
    await served.stop();
  }, 60_000);
});

it.each(kinds)(
  "people who sign up wait in the first organisation, or begin their own: $kind",
  async (kind) => {
    const ways = [
      ["confirmed", ""],
      ["open", ""],
      ["open", "  newcomers: members\n"],
    ] as const;
    for (const [how, newcomers] of ways) {
      const own = `  organisations: Association
  new organisations: everyone
  sign up: ${how}
`;
      const project = projectOn(kind, model(own).replace("  rights: {", `${newcomers}  rights: {`));
      const app = await running(["rise"], project.folder);
      try {
        const ben = new Visitor(app.address);
        await ben.post("/-/sign-up", { name: "Ben", email: "ben@example.org" });
        await new Promise((resolve) => setTimeout(resolve, 300));
        const letter = textOf((await ben.get("/-/mail")).html);
        const [, link = ""] = /https?:\/\/[^/\s]+(\/-\/welcome\/\S+)/.exec(letter) ?? [];
        const { path } = await ben.post(link, { password, again: password });
        const administrator = new Visitor(app.address);
        await administrator.post("/-/sample", { group: "administrators" });
        const people = textOf((await administrator.get("/-/people")).html);
        const isInFirst = how === "confirmed" || newcomers !== "";
        expect([how, newcomers, people.includes("ben@example.org")]).toEqual([
          how,
          newcomers,
          isInFirst,
        ]);
        if (how === "confirmed") expect(people).toContain("Waits to be let in");
        else if (isInFirst) expect(path).toBe("/");
        else {
          expect(path).toBe("/-/organisations");
          expect((await ben.get("/hives")).html).not.toMatch(/href="\/hives\/\d/);
          await ben.post("/-/organisations", { do: "begin", new: "Ben's bees" });
          expect((await ben.get("/hives/new")).status).toBe(200);
        }
      } finally {
        await app.stop();
        await project.remove();
      }
    }
  },
  90_000,
);

it.each(kinds)(
  "texts of one organisation become no records of another: $kind",
  async (kind) => {
    const text = model("  organisations: Association\n");
    const project = projectOn(kind, text);
    const { folder } = project;
    try {
      for (const command of [["prepare"], ["migrate"], ["seed"]])
        expect((await levadura(command, folder)).status).toBe(0);
      await project
        .rows("update hive set organisation_id = 2 where id = 3 returning id")
        .catch(() => project.rows("update hive set organisation_id = 2 where id = 3"));
      const codes = text
        .replace(
          "  Hive:\n",
          '  Code:\n    title: "{name}"\n    fields: {name: "text, required, unique"}\n  Hive:\n',
        )
        .replace("code: text, required, unique", "code: one Code, required");
      writeFileSync(join(folder, "model.yaml"), modelOn(kind, codes));
      expect((await levadura(["prepare"], folder)).status).toBe(0);
      const { status, err } = await levadura(["migrate"], folder);
      expect([status, err]).toEqual([
        1,
        expect.stringMatching(/1 row of hive belong to other organisations/),
      ]);
      expect((await project.rows("select code from hive where id = 3")).length).toBe(1);
    } finally {
      await project.remove();
    }
  },
  60_000,
);

describe.each(kinds)("plans over $kind", (kind) => {
  it("limit records, people and histories, say so before, and are changed by who runs it or is paid", async () => {
    const plans = `  organisations: Association
  new organisations: everyone
  plans:
    small: {Hive: 11, people: 2, history: no}
    large:
`;
    const project = projectOn(kind, model(plans));
    const secret = "a secret of twenty letters";
    let app = await running(["rise", "--administrator", "Ana"], project.folder, {
      PLAN_SECRET: secret,
    });
    try {
      const link = /chooses a password at http:\/\/[^/]+(\S+)/.exec(app.said())?.[1] ?? "";
      const ana = new Visitor(app.address);
      await ana.post(link, { email: "ana@example.org", password, again: password });
      const add = (code: string) => ana.submit("/hives/new", { code, apiary_id: "1" });
      expect(textOf((await ana.get("/hives/new")).html)).toContain(
        "The plan has room for 11 hives; 9 are there.",
      );
      // Two at once don't both take the last place.
      expect((await add("A-1")).status).toBe(200);
      const both = await Promise.all([add("A-2"), add("A-3")]);
      expect(both.map(({ status }) => status).sort()).toEqual([200, 422]);
      const full = await add("A-4");
      expect([full.status, textOf(full.html).includes("room for 11 hives, and no more")]).toEqual([
        422,
        true,
      ]);
      expect((await project.rows("select id from hive")).length).toBe(11);
      expect((await ana.get("/hives/1/history")).status).toBe(403);
      const people = await ana.post("/-/people/new", {
        people: "Ben, b@example.org\nEva, e@example.org",
      });
      expect([people.status, textOf(people.html).includes("The plan is for 2 people")]).toEqual([
        422,
        true,
      ]);
      expect(textOf((await ana.get("/-/organisations")).html)).toMatch(
        /Plan: small Hives 11 of 11 People 1 of 2/,
      );
      const tell = (body: object, key = secret) =>
        fetch(`${app.address}/-/plan`, {
          method: "POST",
          headers: { authorization: `Bearer ${key}`, "content-type": "application/json" },
          body: JSON.stringify(body),
        });
      const large = { organisation: 1, plan: "large" };
      expect((await tell(large, "another secret of letters")).status).toBe(401);
      expect((await tell({ organisation: 1, plan: "huge" })).status).toBe(422);
      expect((await tell({ organisation: 9, plan: "large" })).status).toBe(422);
      expect((await add("A-5")).status).toBe(422);
      expect((await tell(large)).status).toBe(200);
      expect((await add("A-5")).status).toBe(200);
      expect((await ana.get("/hives/1/history")).status).toBe(200);
      const back = { do: "plan", organisation: "1", plan: "small" };
      expect((await ana.post("/-/organisations", back)).status).toBe(200);
      expect((await add("A-6")).status).toBe(422);
      // Under `rise`, a page stands in for the program that takes payments.
      expect((await ana.get("/-/organisations")).html).toContain('href="/-/payment"');
      expect((await ana.post("/-/payment", { plan: "huge" })).status).toBe(404);
      expect((await ana.post("/-/payment", { plan: "large" })).path).toBe("/-/organisations");
      expect((await add("A-6")).status).toBe(200);
      await app.stop();
      const payments = { PAYMENT_ADDRESS: "https://pay.example/bees?from=app" };
      app = await running(["rise"], project.folder, payments);
      const eva = new Visitor(app.address);
      await eva.post("/-/sample", { group: "administrators" });
      expect((await eva.get("/-/organisations")).html).toContain(
        'href="https://pay.example/bees?from=app&amp;organisation=1"',
      );
      expect((await eva.get("/-/payment")).status).toBe(404);
    } finally {
      await app.stop();
      await project.remove();
    }
  }, 60_000);
});

const onPostgres = kinds.find(({ kind }) => kind === "postgres");

it.skipIf(!onPostgres)(
  "PostgreSQL keeps organisations apart by itself, whatever a statement forgets",
  async () => {
    if (!onPostgres?.server) return;
    const role = `levadura_app_${process.pid}`;
    const project = projectOn(onPostgres, model("  organisations: Association\n"));
    const { folder, url } = project;
    const { server } = onPostgres;
    // A superuser sees everything: an application has a role of its own.
    await administrator(server, `create role ${role} login password 'honey'`);
    await project.rows("select 1").catch(() => undefined);
    const own = new URL(url);
    own.username = role;
    own.password = "honey";
    await administrator(server, `create database ${own.pathname.slice(1)} owner ${role}`);
    writeFileSync(join(folder, ".env"), `DATABASE_URL=${own.href}\n`);
    try {
      for (const command of [["prepare"], ["migrate"], ["seed"], ["build"]])
        expect((await levadura(command, folder)).status, String(command)).toBe(0);
      await server.rowsIn(url, "update hive set organisation_id = 2 where id > 5");
      symlinkSync(join(repository, "node_modules"), join(folder, "app/node_modules"));
      const source = (path: string) => import(join(folder, "app/src", path));
      const { openDatabase } = await source("database.ts");
      const { tablesOf } = await source("kit/database/current-dialect.ts");
      const db = openDatabase(own.href);
      const forgetful = async (organisation: number) =>
        (
          await sql<{ id: number }>`select id from hive order by id`.execute(
            tablesOf(db, organisation),
          )
        ).rows.map(({ id }) => id);
      // The same connections are used in turn, and for several at once.
      for (let round = 0; round < 3; round++)
        expect(await Promise.all([1, 2, 0, 2, 1].map(forgetful))).toEqual([
          [1, 2, 3, 4, 5],
          [6, 7, 8, 9],
          [],
          [6, 7, 8, 9],
          [1, 2, 3, 4, 5],
        ]);
      const [first, second] = [tablesOf(db, 1), tablesOf(db, 2)];
      const { numAffectedRows } = await sql`update hive set code = 'GONE' where id = 7`.execute(
        first,
      );
      expect(numAffectedRows).toBe(0n);
      await expect(
        sql`update hive set organisation_id = 1 where id = 7`.execute(second),
      ).rejects.toThrow(/row-level security/);
      await db.destroy();
      // Taking organisations away takes this away, too.
      writeFileSync(join(folder, "model.yaml"), modelOn(onPostgres, model("")));
      const taken = ["prepare", "--accept-loss", "hive.organisation_id"];
      for (const table of ["keeper", "apiary"])
        taken.push("--accept-loss", `${table}.organisation_id`);
      expect((await levadura(taken, folder)).status).toBe(0);
      expect((await levadura(["migrate"], folder)).status).toBe(0);
      expect((await levadura(["rewind"], folder)).status).toBe(0);
      expect(await server.rowsIn(url, "select count(*) as count from pg_policies")).toEqual([
        { count: 3 },
      ]);
    } finally {
      await project.remove();
      await administrator(server, `drop role if exists ${role}`);
    }
  },
  60_000,
);
