import { scaleTime } from "d3-scale";
import type { Scope } from "../../access/scope.ts";
import { address } from "../../entity/links.ts";
import { dayAfter } from "../../formula/periods.ts";
import type { DatedRecord } from "../../store/list/on-days.ts";
import { WideTable } from "../../ui/wide-table.tsx";
import type { CalendarPage } from "./calendar-page.ts";
import { dates, eventColor, stateOf } from "./event.tsx";
import { daysOfSpan } from "./span.ts";

const width = 960;
const left = 210;
const step = 24;
const head = 28;

/** The records of a year as bars from their first day to their last, by what gives them their colour. */
export function Timeline({ scope, page }: { scope: Scope; page: CalendarPage }) {
  const { messages, format } = scope;
  const { records, request, entities } = page;
  if (records.length === 0) return null;
  const days = daysOfSpan(request);
  const along = scaleTime(
    [new Date(`${days.from}T00:00:00Z`), new Date(`${dayAfter(days.to, 1)}T00:00:00Z`)],
    [left, width - 4],
  );
  const x = (day: string) => along(new Date(`${day}T00:00:00Z`));
  const groups = new Map<string, DatedRecord[]>();
  for (const record of records) {
    const name =
      entities.length > 1 ? scope.namesOf(record.entity).headings : (stateOf(scope, record) ?? "");
    groups.set(name, [...(groups.get(name) ?? []), record]);
  }
  const lines = [...groups].flatMap(([name, some]) => [
    ...(name === "" ? [] : [{ name }]),
    ...some.map((record) => ({ record })),
  ]);
  const height = head + lines.length * step + 4;
  const year = days.from.slice(0, 4);
  const months = Array.from(
    { length: 12 },
    (_, at) => `${year}-${String(at + 1).padStart(2, "0")}-01`,
  );
  return (
    <WideTable label={messages.calendar.title}>
      <svg class="timeline" viewBox={`0 0 ${width} ${height}`}>
        <title>{messages.calendar.title}</title>
        {months.map((day) => (
          <>
            <line class="chart-grid" x1={x(day)} x2={x(day)} y1={head - 6} y2={height} />
            <text class="chart-number" x={x(day) + 3} y={12}>
              {format.shortMonth(day)}
            </text>
          </>
        ))}
        {lines.map((line, at) => {
          const y = head + at * step;
          if ("name" in line) {
            return (
              <text class="timeline-group" x={0} y={y + step / 2}>
                {line.name}
              </text>
            );
          }
          const { record } = line;
          const { id, title, entity, from, to } = record;
          const [start, end] = [Math.max(left, x(from)), Math.min(width - 4, x(dayAfter(to, 1)))];
          const words =
            from === to ? format.date(from) : messages.calendar.fromTo(dates(scope, record));
          return (
            <a
              href={address({ id, displayTitle: title, pagePath: entity.path })}
              aria-label={`${title}: ${words}`}
            >
              <title>{`${title}: ${words}`}</title>
              <text class="chart-label" x={8} y={y + step / 2}>
                {title.length > 28 ? `${title.slice(0, 27)}…` : title}
              </text>
              <rect
                class="timeline-bar"
                data-color={eventColor(page, record)}
                x={start.toFixed(1)}
                y={y + 4}
                width={Math.max(4, end - start).toFixed(1)}
                height={step - 8}
                rx={3}
              />
            </a>
          );
        })}
        {scope.today >= days.from && scope.today <= days.to && (
          <line
            class="timeline-today"
            x1={x(scope.today)}
            x2={x(scope.today)}
            y1={head - 6}
            y2={height}
          />
        )}
      </svg>
    </WideTable>
  );
}
