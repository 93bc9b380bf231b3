import type { Entity } from "../../entity/entity.ts";
import type { DatedRecord } from "../../store/list/on-days.ts";
import type { CalendarRequest } from "./span.ts";

/** What a calendar shows. */
export interface CalendarPage {
  request: CalendarRequest;
  /** The entities of the records, in the order of their colours. */
  entities: readonly Entity[];
  records: readonly DatedRecord[];
  /** The nearest days with records, where it shows none. */
  beside: { before: string | undefined; behind: string | undefined } | undefined;
  /** Whether there are more than it shows. */
  more: boolean;
  /** The numbers of the records that the person may move, by table. */
  movable: ReadonlyMap<string, ReadonlySet<number>>;
  /** The address of the calendar with some of its query replaced. */
  hrefOf(changes: Record<string, string | undefined>): string;
}
