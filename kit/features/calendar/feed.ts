import type { Context } from "hono";
import { accountTables } from "../../access/account-tables.ts";
import { calendarPath } from "../../access/addresses.ts";
import { changedRights } from "../../access/kept-rights.ts";
import { linkOf, newLink } from "../../access/links.ts";
import type { Scope } from "../../access/scope.ts";
import { personOfAccount } from "../../access/sessions.ts";
import { address } from "../../entity/links.ts";
import { dayAfter } from "../../formula/periods.ts";
import { toUtc } from "../../formula/zones.ts";
import { originFor } from "../../http/public-address.ts";
import { type DatedRecord, recordsOnDays, seenDays } from "../../store/list/on-days.ts";
import { listRequest } from "../../store/list/request.ts";
import type { Feature } from "../feature.ts";
import { stateOf } from "./event.tsx";

/** How many days of the past and of the future a feed has, and how many records of each entity at most. */
const told = { past: 366, future: 731, most: 1000 };

/** How long an address works, in hours: as long as nobody ends it. */
const lasting = 50 * 366 * 24;

const feedPath = `${calendarPath}/feed`;

/** The addresses at which other calendars read. */
export const feedFeature: Feature = {
  routes: [
    {
      method: "GET",
      path: `${feedPath}/:secret`,
      needs: "nothing",
      answer: (c, scope) => answerFeed(c, scope),
    },
  ],
};

/** The address of a feed, with the organisation whose records are in it. */
export function feedAddress({ organisation }: Scope, secret: string): string {
  const within = organisation === undefined ? "" : `?in=${organisation}`;
  return `${feedPath}/${secret}.ics${within}`;
}

/** Makes the secret of the person's feed; the one before no longer works. */
export async function newFeed(scope: Scope): Promise<string> {
  await endFeed(scope);
  const { person } = scope;
  return newLink(accountTables(scope.db), {
    purpose: "calendar",
    hours: lasting,
    ...(person && { account: person.id }),
  });
}

/** Ends the person's feed. */
export async function endFeed({ db, person }: Scope): Promise<void> {
  await accountTables(db)
    .deleteFrom("levadura_welcome")
    .where("account_id", "=", person?.id ?? 0)
    .where("purpose", "=", "calendar")
    .execute();
}

/** Whether the person has a feed. */
export async function hasFeed({ access, db, person }: Scope): Promise<boolean> {
  if (!access || !person) return false;
  const found = await accountTables(db)
    .selectFrom("levadura_welcome")
    .select("id")
    .where("account_id", "=", person.id)
    .where("purpose", "=", "calendar")
    .executeTakeFirst();
  return found !== undefined;
}

async function answerFeed(c: Context, scope: Scope) {
  const seeing = await scopeOfFeed(c, scope);
  // Programs that ask have no use for a page to sign in.
  if (!seeing) return c.body("There is no such calendar.\n", 404, { "content-type": "text/plain" });
  const text = await feedOf(seeing, originFor(c.req.url));
  return c.body(text, 200, { "content-type": "text/calendar; charset=utf-8" });
}

/** The scope of the person whose secret an address has; undefined where it is nobody's. */
async function scopeOfFeed(c: Context, scope: Scope): Promise<Scope | undefined> {
  const { access, db } = scope;
  if (!access) return undefined;
  const secret = (c.req.param("secret") ?? "").replace(/\.ics$/, "");
  const tables = accountTables(db);
  const link = await linkOf(tables, secret, "calendar");
  if (!link?.account || link.account.waiting_at !== null) return undefined;
  const isOrganised = access.organisations !== undefined;
  const within = Number(c.req.query("in"));
  const person = await personOfAccount(tables, link.account.id, isOrganised, within);
  if (!person) return undefined;
  const organisation = person.organisation?.id;
  const changed = await changedRights(tables, access, organisation);
  return scope
    .asPerson(person, changed)
    .inOrganisation(isOrganised ? (organisation ?? 0) : undefined);
}

/** All that the person sees on days, in the iCalendar standard (RFC 5545). */
async function feedOf(scope: Scope, origin: string): Promise<string> {
  const { default: ical, ICalCalendarMethod } = await import("ical-generator");
  const calendar = ical({
    name: scope.settings.name,
    method: ICalCalendarMethod.PUBLISH,
    prodId: { company: "Levadura", product: scope.settings.name },
  });
  const days = { from: dayAfter(scope.today, -told.past), to: dayAfter(scope.today, told.future) };
  const request = listRequest(new URLSearchParams());
  for (const entity of scope.entities.all) {
    if (!scope.may("see", entity) || !seenDays(scope, entity)) continue;
    const { records } = await recordsOnDays(scope, entity, request, days, told.most);
    for (const record of records) {
      const { id, title, version } = record;
      const state = stateOf(scope, record);
      calendar.createEvent({
        id: `${entity.table}-${id}@${new URL(origin).hostname}`,
        sequence: version,
        summary: title,
        ...(state !== undefined && { description: state }),
        categories: [{ name: scope.namesOf(entity).heading }],
        url: origin + address({ id, displayTitle: title, pagePath: entity.path }),
        ...timesOf(scope, record),
      });
    }
  }
  return calendar.toString();
}

/** When an event begins and ends: as days, whose end is the day behind the last, or as moments. */
function timesOf({ timezone }: Scope, { from, to, time, end }: DatedRecord) {
  if (time === undefined) {
    // Days of no time zone: the generator writes the days of UTC.
    return { allDay: true, timezone: "UTC", start: dayIn(from), end: dayIn(dayAfter(to, 1)) };
  }
  const start = new Date(toUtc(timezone, `${from}T${time}`));
  const until = end === undefined ? undefined : new Date(toUtc(timezone, `${to}T${end}`));
  return { start, ...(until && until > start && { end: until }) };
}

function dayIn(day: string): Date {
  return new Date(`${day}T00:00:00Z`);
}
