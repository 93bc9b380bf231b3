import { allowedAmong, fieldsKept } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import { type DatedRecord, daysBeside, recordsOnDays, seenDays } from "../../store/list/on-days.ts";
import type { ListRequest } from "../../store/list/request.ts";
import { newToken } from "../../store/submissions.ts";
import { Agenda } from "./agenda.tsx";
import type { CalendarPage } from "./calendar-page.ts";
import { Days } from "./days.tsx";
import { moveDayPath } from "./move.ts";
import {
  besides,
  type CalendarRequest,
  type CalendarSpan,
  calendarRequest,
  calendarSpans,
  daysOfSpan,
  drawnDays,
} from "./span.ts";
import { Timeline } from "./timeline.tsx";

/** The most records of one entity that a calendar shows at once. */
const mostShown = 500;

/** The records that lists find, on the days that an address asks for. */
export async function calendarPage(
  scope: Scope,
  lists: readonly { entity: Entity; request: Pick<ListRequest, "search" | "query"> }[],
  path: string,
  query: URLSearchParams,
): Promise<CalendarPage> {
  const request = calendarRequest(query, scope.today);
  const drawn = drawnDays(request);
  const days = { from: drawn[0] ?? request.on, to: drawn.at(-1) ?? request.on };
  const records: DatedRecord[] = [];
  const movable = new Map<string, ReadonlySet<number>>();
  let more = false;
  for (const { entity, request: list } of lists) {
    const found = await recordsOnDays(scope, entity, list, days, mostShown);
    records.push(...found.records);
    more ||= found.more;
    movable.set(entity.table, await movableAmong(scope, entity, found.records));
  }
  const beside = records.length > 0 ? undefined : await nearestDays(scope, lists, days);
  const inOrder = (one: DatedRecord, other: DatedRecord) =>
    keyOf(one) < keyOf(other) ? -1 : keyOf(one) > keyOf(other) ? 1 : 0;
  return {
    request,
    entities: lists.map(({ entity }) => entity),
    records: records.toSorted(inOrder),
    beside,
    more,
    movable,
    hrefOf: (changes) => withQuery(path, query, changes),
  };
}

/** The last day before some days with a record of one of these lists, and the first one behind them. */
async function nearestDays(
  scope: Scope,
  lists: Parameters<typeof calendarPage>[1],
  days: { from: string; to: string },
): Promise<NonNullable<CalendarPage["beside"]>> {
  const found = await Promise.all(
    lists.map(({ entity, request }) => daysBeside(scope, entity, request, days)),
  );
  const sorted = (which: "before" | "behind") =>
    found.flatMap((each) => each[which] ?? []).toSorted();
  return { before: sorted("before").at(-1), behind: sorted("behind")[0] };
}

function keyOf({ from, time = "" }: DatedRecord): string {
  return from + time;
}

async function movableAmong(scope: Scope, entity: Entity, records: readonly DatedRecord[]) {
  const { from, to } = seenDays(scope, entity) ?? {};
  const kept = await fieldsKept(scope, "change", entity);
  const isKept = [from, to].some((name) => name !== undefined && kept.has(name));
  const ids = records.map(({ id }) => id);
  return isKept ? new Set<number>() : allowedAmong(scope, "change", entity, ids);
}

/** The list of one entity as a calendar. */
export async function calendarOf(scope: Scope, entity: Entity, request: ListRequest) {
  const path = encodeURI(entity.path);
  const page = await calendarPage(scope, [{ entity, request }], path, request.query);
  return <Calendar scope={scope} page={page} />;
}

/** A calendar: the way to other days, and the records on those that are shown. */
export function Calendar({ scope, page }: { scope: Scope; page: CalendarPage }) {
  const { messages } = scope;
  const { request, hrefOf, more, movable } = page;
  const { before, behind } = besides(request);
  const words = messages.calendar;
  const here = hrefOf({});
  return (
    <div class="dated">
      <div class="calendar-head">
        <h2>{headingOf(scope, request)}</h2>
        <nav class="calendar-steps" aria-label={words.otherDays}>
          <a href={hrefOf({ on: before })} aria-label={words.before}>
            ←
          </a>
          <a href={hrefOf({ on: undefined })}>{messages.spans.today}</a>
          <a href={hrefOf({ on: behind })} aria-label={words.behind}>
            →
          </a>
        </nav>
        <nav class="layouts" aria-label={words.spans}>
          {calendarSpans.map((span) => (
            <a
              href={hrefOf({ span: span === "month" ? undefined : span })}
              aria-current={span === request.span ? "true" : undefined}
            >
              {words.span[span]}
            </a>
          ))}
        </nav>
      </div>
      {more && (
        <p class="alert alert-warning" role="alert">
          {words.tooMany(scope.format.number(mostShown))}
        </p>
      )}
      <Beside scope={scope} page={page} />
      {drawings[request.span]({ scope, page })}
      {[...movable].map(([table, ids]) =>
        ids.size === 0 ? null : (
          <form
            method="post"
            action={encodeURI(moveDayPath(scope.entities.named(table)))}
            data-moving={table}
            hidden
          >
            <input type="hidden" name="id" />
            <input type="hidden" name="_version" />
            <input type="hidden" name="to" />
            <input type="hidden" name="_token" value={newToken()} />
            <input type="hidden" name="_back" value={here} />
          </form>
        ),
      )}
    </div>
  );
}

/** Says of a calendar without records that it is empty, with the way to the nearest ones. */
function Beside({
  scope,
  page: { beside, request, hrefOf },
}: {
  scope: Scope;
  page: CalendarPage;
}) {
  if (!beside) return null;
  const { calendar: words } = scope.messages;
  const link = (day: string | undefined, says: (day: string) => string) =>
    day !== undefined && <a href={hrefOf({ on: day })}>{says(scope.format.date(day))}</a>;
  const isDrawn = drawings[request.span] === Days;
  return (
    <p class={isDrawn ? "soft" : "empty"}>
      {words.nothing} {link(beside.before, words.nearestBefore)}{" "}
      {link(beside.behind, words.nearestBehind)}
    </p>
  );
}

type Drawn = (props: { scope: Scope; page: CalendarPage }) => unknown;

const drawings: Readonly<Record<CalendarSpan, Drawn>> = {
  month: Days,
  week: Days,
  day: Days,
  agenda: Agenda,
  timeline: Timeline,
};

function headingOf({ format }: Scope, request: CalendarRequest): string {
  const { from } = daysOfSpan(request);
  const headings: Readonly<Record<CalendarSpan, () => string>> = {
    month: () => format.longMonth(from),
    agenda: () => format.longMonth(from),
    week: () => format.period("week", from),
    day: () => format.longDay(from),
    timeline: () => from.slice(0, 4),
  };
  return headings[request.span]();
}
