import ical, { type VEvent } from "node-ical";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { dayAfter } from "../kit/formula/periods.ts";
import { toLocal } from "../kit/formula/zones.ts";
import { kinds, projectOn, type TestProject } from "./support/kinds.ts";
import { type Running, running } from "./support/program.ts";
import { hiddenInputs, textOf, Visitor } from "./support/visitor.ts";

const zone = "Europe/Madrid";
const model = `levadura: 1
app: {name: Hive Book, language: en-GB, database: sqlite, timezone: ${zone}}
users:
  groups: {office: Office, guests: Guests}
  rights: {office: everything, guests: see}
entities:
  Loan:
    title: "{thing}"
    fields:
      thing: text ..30, required
      begun: date, required
      ended: date
      state: choice lent | "<b>'back'", default lent
    rules:
      - It can't end before it begins.: "= ended is empty or ended >= begun"
      - Nothing is lent in August.: "= month(begun) <> 8"
    colors: {state: {lent: orange}}
    seed: 0
    rights: {office: everything, guests: [see where state = "lent"]}
  Visit:
    title: "{what}"
    fields:
      what: text ..30, required
      at: datetime, required
    calendar: at
    seed: 0
    rights: {office: everything}
  Note:
    title: "{text}"
    fields: {text: "text, required", written: date}
    calendar: no
    seed: 1
`;

interface Loan {
  id: number;
  thing: string;
  begun: string;
  ended: string | null;
  state: string | null;
}

/** The titles of the records in each cell of a calendar, by its day. */
function cellsIn(html: string): Map<string, string[]> {
  return new Map(
    [...html.matchAll(/<td data-day="([\d-]+)"[\s\S]*?<\/td>/g)].map(([cell, day = ""]) => [
      day,
      [...cell.matchAll(/<a class="event"[^>]*>([\s\S]*?)<\/a>/g)].map(([, text = ""]) =>
        textOf(text).replace(/\s+/g, " ").trim(),
      ),
    ]),
  );
}

describe.each(kinds)("calendars over $kind", (kind) => {
  let project: TestProject;
  let app: Running;
  let office: Visitor;
  let guest: Visitor;

  beforeAll(async () => {
    project = projectOn(kind, model);
    app = await running(["rise"], project.folder);
    office = await Visitor.of(app.address, "office");
    guest = await Visitor.of(app.address, "guests");
    for (const [thing, begun, ended, state] of [
      ["Smoker", "2026-04-30", "2026-05-02", "lent"],
      ["Ladder", "2026-05-31", "", "lent"],
      ["Scales <i>", "2026-01-01", "2026-12-31", "<b>'back'"],
      ["Suit", "2026-05-12", "2026-05-12", "<b>'back'"],
      ["Extractor", "2026-03-01", "2026-03-02", "lent"],
    ])
      await added("/loans/new", { thing, begun, ended, state });
    for (const [what, at] of [
      ["Late", "2026-05-10T23:30"],
      ["Early", "2026-05-11T00:15"],
    ])
      await added("/visits/new", { what, at });
  }, 120_000);
  afterAll(async () => {
    expect(await app.stop()).toBe(0);
    await project.remove();
  });

  async function added(page: string, fields: Record<string, string | undefined>) {
    const given = Object.fromEntries(
      Object.entries(fields).map(([name, value = ""]) => [name, value]),
    );
    const answer = await office.submit(page, given);
    expect([page, given, answer.status, answer.path.endsWith("/new")]).toEqual([
      page,
      given,
      200,
      false,
    ]);
  }

  async function loans(): Promise<Loan[]> {
    const rows = await project.rows<Record<string, unknown>>("select * from loan order by id");
    return rows.map(({ id, thing, begun, ended, state }) => ({
      id: Number(id),
      thing: String(thing),
      begun: String(begun).slice(0, 10),
      ended: ended === null ? null : String(ended).slice(0, 10),
      state: state === null ? null : String(state),
    }));
  }

  it("have each record on all of its days, and those of others nowhere", async () => {
    for (const [visitor, sees] of [
      [office, () => true],
      [guest, ({ state }: Loan) => state === "lent"],
    ] as const) {
      const all = (await loans()).filter(sees);
      for (const query of ["on=2026-05-15", "on=2026-05-02&span=week", "on=2026-05-12&span=day"]) {
        const { html } = await visitor.get(`/loans?layout=calendar&${query}`);
        const cells = cellsIn(html);
        expect([query, cells.size]).toEqual([
          query,
          query.includes("day") ? 1 : query.includes("week") ? 7 : 35,
        ]);
        for (const [day, shown] of cells) {
          const wanted = all.filter(({ begun, ended }) => begun <= day && day <= (ended ?? begun));
          expect([query, day, shown.sort()]).toEqual([
            query,
            day,
            wanted.map(({ thing }) => thing).sort(),
          ]);
        }
        expect(html).not.toMatch(/<i>|NaN|style=/);
      }
    }
  });

  it("have moments on the days of the person's clock, and follow the filters of the list", async () => {
    const cells = cellsIn((await office.get("/visits?layout=calendar&on=2026-05-11")).html);
    expect([cells.get("2026-05-10"), cells.get("2026-05-11")]).toEqual([
      ["23:30 Late"],
      ["00:15 Early"],
    ]);
    const { html } = await office.get("/loans?layout=calendar&on=2026-05-12&state=lent");
    expect([...cellsIn(html).values()].flat().sort()).toEqual([
      "Ladder",
      "Smoker",
      "Smoker",
      "Smoker",
    ]);
    expect(html).toContain("/loans/new?begun=2026-05-13&amp;");
    const form = (await office.get("/visits/new?at=2026-05-13T09:00")).html;
    expect(form).toContain('value="13/05/2026 09:00"');
    for (const wrong of ["on=2026-02-30", "on=0000-01-01", "on=9999-12-31", "span=never&on=x"])
      expect((await office.get(`/loans?layout=calendar&${wrong}`)).status).toBe(200);
  });

  it("are one of all entities with days, and lists below each other and bars of the same", async () => {
    const { html } = await office.get("/-/calendar?on=2026-05-11");
    const shown = [...cellsIn(html).values()].flat();
    expect(shown).toEqual(expect.arrayContaining(["23:30 Late", "Suit"]));
    expect(html).not.toContain('value="note"');
    const visits = await office.get("/-/calendar?on=2026-05-11&of=visit");
    expect([...cellsIn(visits.html).values()].flat()).toEqual(["23:30 Late", "00:15 Early"]);
    // A guest sees no visits at all.
    const seen = await guest.get("/-/calendar?on=2026-05-11&of=visit");
    expect([...cellsIn(seen.html).values()].flat()).not.toContain("23:30 Late");
    const agenda = textOf((await office.get("/-/calendar?on=2026-05-11&span=agenda")).html);
    expect(agenda).toMatch(/Sunday[\s\S]*Late[\s\S]*Monday[\s\S]*Early[\s\S]*Suit[\s\S]*Ladder/);
    const timeline = (await office.get("/loans?layout=calendar&span=timeline&on=2026-05-11")).html;
    expect([...timeline.matchAll(/class="timeline-bar"/g)]).toHaveLength(5);
  });

  it("say that they are empty, with the way to the nearest records", async () => {
    const beside = async (visitor: Visitor, path: string) => {
      const { html } = await visitor.get(path);
      const [, said = ""] =
        /<p class="(?:soft|empty)">(Nothing on these days[\s\S]*?)<\/p>/.exec(html) ?? [];
      return [...said.matchAll(/href="([^"]*)">([^<]*)</g)].map(([, href = "", text = ""]) => [
        /on=([\d-]+)/.exec(href)?.[1],
        text,
      ]);
    };
    const all = (await loans()).map(({ begun }) => begun).sort();
    const [first = "", last = ""] = [all[0], all.at(-1)];
    for (const span of ["month", "week", "day", "agenda", "timeline"]) {
      const on = (day: string) => `/loans?layout=calendar&span=${span}&on=${day}`;
      expect([span, await beside(office, on("2031-03-03"))]).toEqual([
        span,
        [[last, expect.stringContaining("The last before")]],
      ]);
      expect([span, await beside(office, on("2001-03-03"))]).toEqual([
        span,
        [[first, expect.stringContaining("The next")]],
      ]);
      expect(await beside(office, on(first))).toEqual([]);
    }
    for (const path of ["/loans", "/visits"])
      for (const edge of ["0001-01-01", "9998-12-31"])
        expect((await office.get(`${path}?layout=calendar&on=${edge}`)).status).toBe(200);
    // By the person's clock, of all entities; and nothing of what they don't see.
    expect((await beside(office, "/-/calendar?of=visit&on=2031-01-01"))[0]?.[0]).toBe("2026-05-11");
    const lent = (await loans()).filter(({ state }) => state === "lent");
    const latest = lent
      .map(({ begun }) => begun)
      .sort()
      .at(-1);
    expect((await beside(guest, "/-/calendar?on=2031-01-01"))[0]?.[0]).toBe(latest);
    expect(await beside(office, "/loans?layout=calendar&on=2031-01-01&search=nowhere")).toEqual([]);
  });

  it("move records by days, checked and saved as a form does it", async () => {
    const move = async (who: Visitor, to: string, { list = "loans", title = "Smoker" } = {}) => {
      const page = `/${list}?layout=calendar&on=2026-05-11`;
      const { html } = await who.get(page);
      const [, form = ""] = /(<form[^>]*data-moving[\s\S]*?<\/form>)/.exec(html) ?? [];
      const [, id = "", version = ""] =
        new RegExp(
          `data-id="(\\d+)" data-version="(\\d+)"[^>]*>[^<]*(?:<span[^>]*>[^<]*</span>)?\\s*${title}<`,
        ).exec(html) ?? [];
      return who.post(`/${list}/move-day`, {
        ...hiddenInputs(form),
        id: id || "1",
        _version: version || "1",
        to,
      });
    };
    const done = await move(office, "2026-05-20");
    expect([done.status, textOf(done.html)]).toEqual([
      200,
      expect.stringMatching(/Smoker: 20 May 2026|Smoker: May 20, 2026/),
    ]);
    expect((await loans())[0]).toMatchObject({ begun: "2026-05-20", ended: "2026-05-22" });
    await move(office, "2026-05-13", { list: "visits", title: "Late" });
    const [visit] = await project.rows<{ at: unknown }>("select * from visit order by id limit 1");
    const moment = new Date(String(visit?.at).replace(" ", "T").replace(/Z?$/, "Z")).toISOString();
    expect(toLocal(zone, moment)).toBe("2026-05-13T23:30");
    const refused = await move(office, "2026-08-03");
    expect([refused.status, textOf(refused.html)]).toEqual([
      422,
      expect.stringContaining("Nothing is lent in August."),
    ]);
    for (const to of ["2026-02-30", "", "tomorrow"])
      expect([to, (await move(office, to)).status]).toEqual([to, 404]);
    expect((await move(guest, "2026-05-25")).status).toBe(403);
    expect((await loans())[0]).toMatchObject({ begun: "2026-05-20" });
  });

  it("are read by other programs at an address that only its owner knows", async () => {
    const addressOf = async (who: Visitor) => {
      const { html } = await who.post("/-/calendar/feed", { do: "make" });
      const [, address = ""] = /<code class="feed-address">([^<]*)<\/code>/.exec(html) ?? [];
      return address.replace(/^http:\/\/[^/]*/, "");
    };
    const read = async (address: string) => {
      const { status, html, headers } = await new Visitor(app.address).get(address);
      if (status !== 200) return [];
      expect(headers.get("content-type")).toContain("text/calendar");
      const found = Object.values(ical.sync.parseICS(html));
      return found.filter((each): each is VEvent => each?.type === "VEVENT");
    };
    const today = new Date().toISOString().slice(0, 10);
    await added("/loans/new", {
      thing: "Tank, with; marks\\",
      begun: today,
      ended: dayAfter(today, 2),
      state: "lent",
    });
    const address = await addressOf(office);
    const events = await read(address);
    const all = await loans();
    const near = all.filter(({ begun, ended }) => (ended ?? begun) >= dayAfter(today, -366));
    expect(events.map(({ summary }) => String(summary)).sort()).toEqual(
      [...near.map(({ thing }) => thing), "Early", "Late"].sort(),
    );
    const tank = events.find(({ summary }) => String(summary).startsWith("Tank"));
    expect([tank?.datetype, tank?.start.toDateString(), tank?.end?.toDateString()]).toEqual([
      "date",
      new Date(`${today}T12:00`).toDateString(),
      new Date(`${dayAfter(today, 3)}T12:00`).toDateString(),
    ]);
    const late = events.find(({ summary }) => String(summary) === "Late");
    expect(toLocal(zone, late?.start.toISOString() ?? "")).toBe("2026-05-13T23:30");
    // With the rights of the person.
    const seen = await read(await addressOf(guest));
    expect(seen.map(({ summary }) => String(summary)).sort()).toEqual(
      near
        .filter(({ state }) => state === "lent")
        .map(({ thing }) => thing)
        .sort(),
    );
    // Another one, or none, ends it; others were never any.
    const next = await addressOf(office);
    expect([(await read(address)).length, (await read(next)).length > 0]).toEqual([0, true]);
    await office.post("/-/calendar/feed", { do: "end" });
    for (const wrong of [
      next,
      address.slice(0, -9),
      "/-/calendar/feed/x.ics",
      "/-/calendar/feed/%00",
    ])
      expect([wrong, await read(wrong)]).toEqual([wrong, []]);
    expect((await new Visitor(app.address).post("/-/calendar/feed", { do: "make" })).status).toBe(
      401,
    );
  });
});
