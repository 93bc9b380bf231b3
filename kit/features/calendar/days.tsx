import type { Scope } from "../../access/scope.ts";
import type { DatedRecord } from "../../store/list/on-days.ts";
import { WideTable } from "../../ui/wide-table.tsx";
import type { CalendarPage } from "./calendar-page.ts";
import { Event } from "./event.tsx";
import { NewOnDay } from "./new-on-day.tsx";
import { drawnDays } from "./span.ts";

/** The most records of a day that a month shows; a link leads to the others. */
const mostInMonth = 4;

/** Days in weeks, each with its records. */
export function Days({ scope, page }: { scope: Scope; page: CalendarPage }) {
  const { request, records, hrefOf } = page;
  const { format, messages, today } = scope;
  const days = drawnDays(request);
  const on = recordsByDay(records, days);
  const isMonth = request.span === "month";
  const most = isMonth ? mostInMonth : Number.POSITIVE_INFINITY;
  const weeks = Array.from({ length: Math.ceil(days.length / 7) }, (_, at) =>
    days.slice(at * 7, at * 7 + 7),
  );
  const isOutside = (day: string) => isMonth && day.slice(0, 7) !== request.on.slice(0, 7);
  return (
    <WideTable label={messages.calendar.title}>
      <table class="calendar-days" data-span={request.span}>
        <thead>
          <tr>
            {(weeks[0] ?? []).map((day) => (
              <th scope="col">{format.weekday(day)}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {weeks.map((week) => (
            <tr>
              {week.map((day) => {
                const all = on.get(day) ?? [];
                return (
                  <td
                    data-day={day}
                    data-today={day === today ? "yes" : undefined}
                    data-outside={isOutside(day) ? "yes" : undefined}
                  >
                    <div class="day-head">
                      <a
                        href={hrefOf({ span: "day", on: day })}
                        aria-label={format.longDay(day)}
                        aria-current={day === today ? "date" : undefined}
                      >
                        {Number(day.slice(8))}
                      </a>
                      <NewOnDay scope={scope} page={page} day={day} />
                    </div>
                    {all.slice(0, most).map((record) => (
                      <Event scope={scope} page={page} record={record} day={day} />
                    ))}
                    {all.length > most && (
                      <a class="small" href={hrefOf({ span: "day", on: day })}>
                        {messages.calendar.more(format.number(all.length - most))}
                      </a>
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </WideTable>
  );
}

/** The records on each of some days. */
export function recordsByDay(
  records: readonly DatedRecord[],
  days: readonly string[],
): ReadonlyMap<string, DatedRecord[]> {
  return new Map(
    days.map((day) => [day, records.filter(({ from, to }) => from <= day && day <= to)]),
  );
}
