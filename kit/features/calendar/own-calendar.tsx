import type { Context } from "hono";
import { calendarPath } from "../../access/addresses.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { originFor } from "../../http/public-address.ts";
import { sentForm, sentText } from "../../http/sent-form.ts";
import { seenDays } from "../../store/list/on-days.ts";
import { listRequest } from "../../store/list/request.ts";
import { showPage } from "../../ui/layout.tsx";
import type { Feature } from "../feature.ts";
import { Calendar, calendarPage } from "./calendar.tsx";
import { endFeed, feedAddress, feedFeature, hasFeed, newFeed } from "./feed.ts";

/** The calendar of all entities whose records are on days, and the address by which it shows in other calendars. */
export const ownCalendar: Feature = {
  routes: [
    {
      method: "GET",
      path: calendarPath,
      needs: "nothing",
      records: true,
      answer: (c, scope) => show(c, scope),
    },
    { method: "POST", path: `${calendarPath}/feed`, needs: "person", answer: feedSent },
    ...feedFeature.routes,
  ],
};

/** The entities that a calendar of the person can show. */
export function datedEntities(scope: Scope): Entity[] {
  return scope.entities.all.filter(
    (entity) => scope.may("see", entity) && seenDays(scope, entity) !== undefined,
  );
}

async function show(c: Context, scope: Scope, made?: string) {
  const { messages } = scope;
  const words = messages.calendar;
  const all = datedEntities(scope);
  if (all.length === 0) return c.notFound();
  const { searchParams: query } = new URL(c.req.url);
  const asked = new Set(query.getAll("of"));
  const chosen = all.filter(({ table }) => asked.size === 0 || asked.has(table));
  const entities = chosen.length > 0 ? chosen : all;
  const request = listRequest(new URLSearchParams());
  const lists = entities.map((entity) => ({ entity, request }));
  const page = await calendarPage(scope, lists, calendarPath, query);
  const content = (
    <>
      <h1>{words.title}</h1>
      <form class="calendar-which" method="get" action={calendarPath}>
        {[...query].map(([name, value]) =>
          name === "of" ? null : <input type="hidden" name={name} value={value} />,
        )}
        <fieldset>
          <legend class="visually-hidden">{words.which}</legend>
          {all.map((entity) => (
            <label class="form-check-label">
              <input
                class="form-check-input"
                type="checkbox"
                name="of"
                value={entity.table}
                checked={entities.includes(entity)}
              />{" "}
              {scope.namesOf(entity).headings}
            </label>
          ))}
        </fieldset>
        <button class="btn btn-outline-secondary btn-sm" type="submit">
          {words.show}
        </button>
      </form>
      <Calendar scope={scope} page={page} />
      <Feed scope={scope} made={made} has={await hasFeed(scope)} />
    </>
  );
  return showPage(c, scope, content, { title: words.title });
}

/** The address of the person's calendar for other programs. */
function Feed({ scope, made, has }: { scope: Scope; made: string | undefined; has: boolean }) {
  const words = scope.messages.calendar;
  if (scope.access && !scope.person) return null;
  return (
    <section class="sheet" id="feed">
      <h2>{words.feed}</h2>
      <p>{words.feedHow}</p>
      {made !== undefined && (
        <div class="alert alert-success" role="status">
          <p>{words.feedMade}</p>
          <code class="feed-address">{made}</code>
        </div>
      )}
      {has && made === undefined && <p>{words.feedIs}</p>}
      <form method="post" action={`${calendarPath}/feed`} class="actions">
        <button class="btn btn-outline-secondary" type="submit" name="do" value="make">
          {has ? words.feedAgain : words.feedMake}
        </button>
        {has && (
          <button class="btn btn-outline-danger" type="submit" name="do" value="end">
            {words.feedEnd}
          </button>
        )}
      </form>
    </section>
  );
}

async function feedSent(c: Context, scope: Scope) {
  const data = await sentForm(c);
  if (sentText(data, "do") === "end") {
    await endFeed(scope);
    return c.redirect(`${calendarPath}#feed`, 303);
  }
  const secret = await newFeed(scope);
  return show(c, scope, originFor(c.req.url) + feedAddress(scope, secret));
}
