import type { Scope } from "../../access/scope.ts";
import { address } from "../../entity/links.ts";
import type { CalendarPage } from "./calendar-page.ts";
import { recordsByDay } from "./days.tsx";
import { dates, eventColor, shownTime, stateOf } from "./event.tsx";
import { drawnDays } from "./span.ts";

/** The records of a month below each other, by the days on which they begin, or go on at its beginning. */
export function Agenda({ scope, page }: { scope: Scope; page: CalendarPage }) {
  const { records, request, entities } = page;
  const { messages, format } = scope;
  const days = drawnDays(request);
  const [first = ""] = days;
  const on = recordsByDay(records, days);
  const begun = days.flatMap((day) => {
    const some = (on.get(day) ?? []).filter(({ from }) => from === day || day === first);
    return some.length > 0 ? [{ day, some }] : [];
  });
  if (begun.length === 0) return null;
  return (
    <div class="agenda">
      {begun.map(({ day, some }) => (
        <section>
          <h3>{format.longDay(day)}</h3>
          <ul>
            {some.map((record) => {
              const { id, title, entity, time, end, from, to } = record;
              const words = [
                entities.length > 1 ? scope.namesOf(entity).heading : undefined,
                stateOf(scope, record),
                from !== to ? messages.calendar.fromTo(dates(scope, record)) : undefined,
              ].filter((each) => each !== undefined);
              const times = [time, from === to ? end : undefined].flatMap((each) =>
                each === undefined ? [] : [shownTime(scope, each)],
              );
              return (
                <li>
                  <span class="agenda-time">{times.join("–")}</span>
                  <span class="agenda-mark" data-color={eventColor(page, record)} />
                  <a href={address({ id, displayTitle: title, pagePath: entity.path })}>{title}</a>
                  <span class="soft small">{words.join(" · ")}</span>
                </li>
              );
            })}
          </ul>
        </section>
      ))}
    </div>
  );
}
