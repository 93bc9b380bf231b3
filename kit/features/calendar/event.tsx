import type { Scope } from "../../access/scope.ts";
import { address } from "../../entity/links.ts";
import { colorOf } from "../../fields/choice.tsx";
import type { Color } from "../../fields/field.ts";
import type { DatedRecord } from "../../store/list/on-days.ts";
import type { CalendarPage } from "./calendar-page.ts";

/** The colours of entities that share a calendar. */
const entityColors: readonly Color[] = [
  "blue",
  "green",
  "orange",
  "violet",
  "teal",
  "pink",
  "brown",
  "yellow",
  "grey",
  "red",
];

/** A record in a calendar, which leads to its page; it can be dragged to another day where the person may move it. */
export function Event({
  scope,
  page,
  record,
  day,
}: {
  scope: Scope;
  page: CalendarPage;
  record: DatedRecord;
  /** The day that it is shown on. */
  day: string;
}) {
  const { id, entity, title, from, to, time } = record;
  const isMovable = page.movable.get(entity.table)?.has(id) ?? false;
  const several = from !== to ? scope.messages.calendar.fromTo(dates(scope, record)) : undefined;
  const what = page.entities.length > 1 ? scope.namesOf(entity).heading : undefined;
  const words = [what, stateOf(scope, record), several].filter((each) => each !== undefined);
  return (
    <a
      class="event"
      href={address({ id, displayTitle: title, pagePath: entity.path })}
      title={words.length > 0 ? `${title} (${words.join(", ")})` : title}
      data-color={eventColor(page, record)}
      data-goes-on={day > from ? "yes" : undefined}
      {...(isMovable && {
        "data-movable": entity.table,
        "data-id": id,
        "data-version": record.version,
        // A record of several days is taken by the day that was dragged.
        "data-offset": daysBetween(from, day),
      })}
    >
      {time !== undefined && day === from && (
        <span class="event-time">{shownTime(scope, time)}</span>
      )}{" "}
      {title}
    </a>
  );
}

/** A time of the day as people read it. */
export function shownTime({ format }: Scope, time: string): string {
  return format.typed.time(time);
}

/** The first and the last day of a record as people read them. */
export function dates({ format }: Scope, { from, to }: DatedRecord) {
  return { from: format.date(from), to: format.date(to) };
}

/** What the choice of a record says that gives its colour. */
export function stateOf(scope: Scope, { entity, state }: DatedRecord): string | undefined {
  const name = entity.calendar?.color;
  const choices = name === undefined ? undefined : entity.fields[name]?.choices;
  return state === undefined || !choices ? undefined : scope.translated(choices[state] ?? state);
}

/** The colour of its choice; of its entity, where several share the calendar. */
export function eventColor({ entities }: CalendarPage, { entity, state }: DatedRecord): Color {
  const usual = entityColors[entities.indexOf(entity) % entityColors.length] ?? "grey";
  if (entities.length > 1 || state === undefined) return usual;
  const field = entity.fields[entity.calendar?.color ?? ""];
  return (field && colorOf(field, state)) ?? "grey";
}

function daysBetween(from: string, to: string): number {
  return Math.round((Date.parse(to) - Date.parse(from)) / 86_400_000);
}
