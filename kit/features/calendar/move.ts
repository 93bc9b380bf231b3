import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { dayAfter } from "../../formula/periods.ts";
import { toLocal } from "../../formula/zones.ts";
import { seenDays } from "../../store/list/on-days.ts";
import type { Moved } from "../moving.tsx";
import { isDay } from "./span.ts";

/** Where a record is sent that is moved to another day. */
export function moveDayPath({ path }: Entity): string {
  return `${path}/move-day`;
}

/** What becomes of a record that is moved to another day: its end moves along, and times of the day stay. */
export function movedToDay(scope: Scope, entity: Entity, row: Row, to: string): Moved | undefined {
  const calendar = seenDays(scope, entity);
  if (!calendar || !isDay(to)) return undefined;
  const local = (name: string) => {
    const value = row[name];
    if (typeof value !== "string") return undefined;
    return entity.fields[name]?.kind === "datetime" ? toLocal(scope.timezone, value) : value;
  };
  const begin = local(calendar.from);
  if (begin === undefined) return undefined;
  const days = Math.round((Date.parse(to) - Date.parse(begin.slice(0, 10))) / 86_400_000);
  const shifted = (value: string) => dayAfter(value.slice(0, 10), days) + value.slice(10, 16);
  const end = calendar.to === undefined ? undefined : local(calendar.to);
  const changes = new Map([[calendar.from, [shifted(begin)]]]);
  if (calendar.to !== undefined && end !== undefined) changes.set(calendar.to, [shifted(end)]);
  return { changes, words: scope.format.date(to) };
}
