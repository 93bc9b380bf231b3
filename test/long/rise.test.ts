import { mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { rowsOf } from "../support/database.ts";
import { kinds, projectOn } from "../support/kinds.ts";
import { freePort, levadura, projectWith, type Running, running } from "../support/program.ts";
import { textOf, Visitor } from "../support/visitor.ts";

const model = `levadura: 1
app: {name: Hive Book, database: sqlite}
entities:
  Apiary:
    fields:
      name: text 2..60, required, unique
      town: text
`;

describe.each(kinds)("rise over $kind", (kind) => {
  const { folder, rows, remove } = projectOn(kind, model);
  const begun = readFileSync(join(folder, "model.yaml"), "utf8");
  const path = join(folder, "model.yaml");
  const rules = join(folder, "app/src/entities/apiary/apiary.rules.ts");
  let rise: Running;
  let visitor: Visitor;

  beforeAll(async () => {
    rise = await running(["rise", "--port", await freePort()], folder);
    visitor = new Visitor(rise.address);
    await rise.until("Watching");
  });
  afterAll(async () => {
    expect(await rise.stop()).toBe(0);
    await remove();
  });

  /** Saves a file and waits for what `rise` makes of it. */
  async function save(place: string, text: string, wanted: string | RegExp): Promise<string> {
    const since = rise.said().length;
    writeFileSync(place, text);
    await rise.until(wanted, since);
    return rise.said().slice(since);
  }

  /** Waits until a page has a text. */
  const shows = (address: string, text: string) =>
    expect
      .poll(async () => textOf((await visitor.get(address)).html), { timeout: 10_000 })
      .toContain(text);

  it("says of each page which line of the model and which file it comes from", async () => {
    const { html } = await visitor.get("/apiaries");
    expect(textOf(html)).toContain(
      "Model: model.yaml:4 · Page: app/src/entities/apiary/apiary.list.tsx",
    );
    expect(textOf((await visitor.get("/")).html)).toContain(
      "Model: model.yaml:1 · Page: app/src/app.ts",
    );
  });

  it("follows saves that are safe, keeps the rows, and gathers them in one migration", async () => {
    await visitor.post("/apiaries/new", { name: "Kept Corner" });
    await save(path, `${begun}      opened: date\n`, "Reloaded");
    expect(textOf((await visitor.get("/apiaries/new")).html)).toContain("Opened");
    await save(
      path,
      `${begun}      opened: date\n      sunny: boolean\n  Hive:\n    fields:\n      code: text, required\n      apiary: one Apiary, required\n`,
      "Reloaded",
    );
    expect((await visitor.get("/hives/new")).status).toBe(200);
    expect(textOf((await visitor.get("/apiaries?search=kept")).html)).toContain("1 apiary");
    // Where a migration is no single transaction, each save gets one of its own.
    const names =
      kind.kind === "mariadb"
        ? ["0001-begin", "0002-add-apiary-opened", "0003-add-hive"]
        : ["0001-begin"];
    expect(readdirSync(join(folder, "migrations"))).toEqual(names);
    expect(await rows("select name from levadura_ledger order by name")).toEqual(
      names.map((name) => ({ name })),
    );
    expect((await levadura(["prepare"], folder)).out).toContain("Nothing to prepare");
    expect((await levadura(["migrate"], folder)).out).toContain("Nothing to apply");
  });

  it("still running as before while the model is wrong", async () => {
    const before = readFileSync(path, "utf8");
    const said = await save(
      path,
      before.replace("opened: date", "opened: dote"),
      "still running as before",
    );
    expect(said).toContain("there is no type `dote`");
    expect((await visitor.get("/hives")).status).toBe(200);
    await save(path, before.replace("opened: date", "opened: date, label Open since"), "Reloaded");
    expect(textOf((await visitor.get("/apiaries/new")).html)).toContain("Open since");
  });

  it("waits for a save that takes its time between emptying the file and writing it", async () => {
    const before = readFileSync(path, "utf8");
    const place = rise.said().length;
    for (const pause of [60, 150, 600]) {
      writeFileSync(path, "");
      await new Promise((resolve) => setTimeout(resolve, pause));
      writeFileSync(path, before);
    }
    const saved = await save(path, `${before}# Saved slowly.\n`, "Reloaded");
    expect(saved).not.toContain("✗");
    expect(rise.said().slice(place)).not.toContain("is empty");
    expect(await save(path, "", "still running as before")).toContain("the file is empty");
    await save(path, before, "Reloaded");
  });

  it("makes what is not safe wait, shows it, and takes the rest", async () => {
    const before = readFileSync(path, "utf8");
    const said = await save(
      path,
      before.replace("      town: text\n", "      elevation: integer\n"),
      "Reloaded",
    );
    expect(said).toContain("1 change waits");
    const page = textOf((await visitor.get("/apiaries/new")).html);
    expect(page).toContain(
      "The model has changes that wait: apiary.town is no longer in the model",
    );
    expect(page).toContain("Elevation");
    expect(page).toContain("Town");
    expect(await rows("select town, elevation from apiary")).not.toEqual([]);
    // It goes on waiting where somebody builds the whole of it beside.
    expect((await levadura(["build"], folder)).status).toBe(0);
    const labelled = readFileSync(path, "utf8").replace(
      "sunny: boolean",
      "sunny: boolean, label Sun",
    );
    await save(path, labelled, /1 change waits.*Reloaded/s);
    await shows("/apiaries/new", "Town");
    await save(
      path,
      before.replace("      town: text\n", "      town: text\n      elevation: integer\n"),
      "Reloaded",
    );
    expect(textOf((await visitor.get("/apiaries")).html)).not.toContain("changes that wait");
  });

  it("holds to a rule at once, and lets its check wait for the rows", async () => {
    const before = readFileSync(path, "utf8");
    const held = (rule: string) =>
      before.replace(/( {2}Apiary:\n)/, `$1    rules:\n      - Too short.: "= ${rule}"\n`);
    const said = await save(path, held("length(name) > 40"), "Reloaded");
    expect(said).toContain("1 change waits");
    expect(said).toMatch(/have to obey: length\(name\) > 40 \(\d+ rows of apiary violate/);
    const late = await visitor.post("/apiaries/new", { name: "Brief" });
    expect(textOf(late.html)).toContain("Name: Too short.");
    expect(await save(path, held("length(name) > 1"), "Reloaded")).toContain(
      "makes rows of apiary obey: length(name) > 1",
    );
    await save(path, before, "Reloaded");
  });

  it("computes what it can, and leaves out what looks at a field that waits", async () => {
    const before = readFileSync(path, "utf8");
    const computed = (more: string) =>
      before.replace(
        "      town: text\n",
        `      town: text\n      short: "= upper(name)"\n${more}`,
      );
    await save(path, computed(""), "Reloaded");
    await shows("/apiaries?search=kept", "KEPT CORNER");
    const said = await save(
      path,
      computed('      bees: integer, required\n      twice: "= bees * 2"\n'),
      "Reloaded",
    );
    expect(said).toContain("1 change waits");
    const page = textOf((await visitor.get("/apiaries?search=kept")).html);
    expect(page).toContain("KEPT CORNER");
    expect(page).not.toContain("Twice");
    await save(path, before, "Reloaded");
  });

  it("follows the application's own source, and leaves edited files alone", async () => {
    const before = readFileSync(rules, "utf8");
    const edited = before.replace(
      "= {}",
      '= { check: ({ name }) => (name === "Nowhere" ? { name: "No such place." } : {}), afterSave: (id) => { if (id > 100) throw new Error("secret detail"); } }',
    );
    await save(rules, edited, "Reloaded");
    expect(textOf((await visitor.post("/apiaries/new", { name: "Nowhere" })).html)).toContain(
      "Name: No such place.",
    );
    const pages = rules.replace("rules.ts", "list.tsx");
    const page = readFileSync(pages, "utf8").replace(
      '"name",',
      '{ label: "Our name", cell: (row) => row.name },',
    );
    await save(pages, page, "Reloaded");
    await shows("/apiaries", "Our name");
    const said = await save(
      path,
      readFileSync(path, "utf8").replace("label Open since", "label Opened"),
      "Reloaded",
    );
    expect(said).toContain(
      "app/src/entities/apiary/apiary.list.tsx was edited by hand and stays as it is",
    );
    expect(readFileSync(pages, "utf8")).toBe(page);
    expect(readFileSync(rules, "utf8")).toBe(edited);
    const { out } = await levadura(["build", "--json"], folder);
    expect(JSON.parse(out)).toMatchObject({ kept: ["src/entities/apiary/apiary.list.tsx"] });
  });

  it("follows the pictures that the model names", async () => {
    const before = readFileSync(path, "utf8");
    const disc = (color: string) =>
      `<svg xmlns="http://www.w3.org/2000/svg"><circle r="9" fill="${color}"/></svg>`;
    const named = before.replace("app: {", "app: {logo: pictures/logo.svg, ");
    expect(await save(path, named, "still running as before")).toContain(
      "there is no file `pictures/logo.svg`",
    );
    const logo = join(folder, "pictures/logo.svg");
    mkdirSync(join(folder, "pictures"));
    for (const color of ["#123456", "#654321"]) {
      await save(logo, disc(color), "Reloaded");
      expect((await visitor.get("/-/assets/logo.svg")).html).toContain(color);
    }
    await save(path, before, "Reloaded");
  });

  it("goes on over the database that it began with", async () => {
    const before = readFileSync(path, "utf8");
    const other = kind.kind === "sqlite" ? "mariadb" : "sqlite";
    const said = await save(
      path,
      before.replace(/database: \w+/, `database: ${other}`),
      "still running",
    );
    expect(said).toContain(`the model says \`database: ${other}\` now`);
    await save(path, before, "Reloaded");
  });

  it("shows a page that looks like the application when its code fails", async () => {
    await save(rules, readFileSync(rules, "utf8").replace("id > 100", "id > 0"), "Reloaded");
    const answer = await visitor.post("/apiaries/new", { name: "Gone Wrong" });
    expect([answer.status, textOf(answer.html)]).toEqual([
      500,
      expect.stringContaining("Something went wrong"),
    ]);
    expect(answer.html).not.toContain("secret detail");
    expect(await rows("select count(*) as n from apiary where name = 'Gone Wrong'")).toEqual([
      { n: 0 },
    ]);
    const said = await save(rules, "export const x = ;", "still running as before");
    expect(said).toContain("apiary.rules.ts:1");
  });

  it("takes the next port when the usual one is in use, and says so", async () => {
    // Another test may have that port, and give it back at any moment: then it is tried again.
    for (let attempt = 0; ; attempt++) {
      const taken = createServer();
      const isTaken = await new Promise<boolean>((resolve) => {
        taken.once("error", () => resolve(false)).listen(3000, "127.0.0.1", () => resolve(true));
      });
      const other = await running(["rise"], projectWith(model));
      const said = other.said();
      expect(await other.stop()).toBe(0);
      taken.close();
      if (!isTaken && attempt < 10 && other.address.endsWith(":3000")) continue;
      expect(said).toMatch(/Port 3000 is in use; using 30\d\d instead/);
      break;
    }
  });

  it("moves to the next port where another program took its own while it didn't run", async () => {
    const project = projectWith(model);
    const other = await running(["rise"], project);
    await other.until("Watching");
    const place = join(project, "app/src/entities/apiary/apiary.rules.ts");
    const before = readFileSync(place, "utf8");
    writeFileSync(place, `${before}\nthrow new Error("spoilt");\n`);
    await other.until("The application doesn't run; the next save starts it again");
    const { port } = new URL(other.address);
    const taken = createServer();
    await new Promise<void>((resolve) => taken.listen(Number(port), "127.0.0.1", resolve));
    const since = other.said().length;
    writeFileSync(place, before);
    await other.until("Reloaded", since);
    const moved = other.said().slice(since);
    expect(moved).toContain(`Port ${port} is in use; using `);
    const address = /Open (http\S+)\//.exec(moved)?.[1] ?? "";
    expect((await new Visitor(address).get("/apiaries")).status).toBe(200);
    expect(await other.stop()).toBe(0);
    taken.close();
  });

  it("finds ports of their own for two that begin at once", async () => {
    const both = await Promise.all([
      running(["rise"], projectWith(model)),
      running(["rise"], projectWith(model)),
    ]);
    const [one, other] = both.map(({ address }) => address);
    expect(one).not.toBe(other);
    for (const each of both) expect(await each.stop()).toBe(0);
  });

  it("invents no rows for somebody who deleted them all, and begins a new migration the next time", async () => {
    const project = projectWith(model);
    const first = await running(["rise"], project);
    const person = new Visitor(first.address);
    for (let id = 1; id <= 12; id++) await person.submit(`/apiaries/${id}/delete`);
    await first.stop();
    writeFileSync(join(project, "model.yaml"), `${model}      opened: date\n`);
    const second = await running(["rise"], project);
    expect(second.said()).not.toContain("Seeded");
    await second.stop();
    expect(rowsOf(join(project, "records.db"), "select count(*) as n from apiary")).toEqual([
      { n: 0 },
    ]);
    expect(readdirSync(join(project, "migrations"))).toEqual([
      "0001-begin",
      "0002-add-apiary-opened",
    ]);
  });

  it("takes its application along when it is killed", async () => {
    const other = await running(["rise"], projectWith(model));
    other.child.kill("SIGKILL");
    await expect
      .poll(
        () =>
          fetch(other.address).then(
            () => "up",
            () => "down",
          ),
        { timeout: 5000 },
      )
      .toBe("down");
  });
});
