import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import type { CalendarPage } from "./calendar-page.ts";

/** Leads to the form of a new record on a day: of the one entity of a calendar, or of one of several. */
export function NewOnDay({ scope, page, day }: { scope: Scope; page: CalendarPage; day: string }) {
  const { messages, format } = scope;
  const added = page.entities.filter((entity) => scope.offers("/new", entity));
  const [only, ...others] = added;
  if (!only) return null;
  const words = messages.calendar.newOn(scope.namesOf(only).one, format.date(day));
  if (others.length === 0) {
    return (
      <a class="day-new" href={newOn(page, only, day)} aria-label={words} title={words}>
        +
      </a>
    );
  }
  if (page.request.span !== "day") return null;
  return (
    <span class="day-new-of">
      {added.map((entity) => (
        <a href={newOn(page, entity, day)}>{messages.newRecord(scope.namesOf(entity).one)}</a>
      ))}
    </span>
  );
}

function newOn({ hrefOf }: CalendarPage, entity: Entity, day: string): string {
  const { from = "" } = entity.calendar ?? {};
  const value = entity.fields[from]?.kind === "datetime" ? `${day}T09:00` : day;
  const query = new URLSearchParams({ [from]: value, _back: hrefOf({}) });
  return `${encodeURI(entity.path)}/new?${query}`;
}
