import type { Entity, Field } from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import { type Rank, rankOf, ranks } from "./meaning.ts";
import type { PlaceInLife } from "./place-in-life.ts";
import { Draw, longestShuffle, Shuffle } from "./random.ts";
import type { Value } from "./value.ts";

const dayLength = 86_400_000;
/** What days are called and the other way round, as far as they were asked for. */
const texts = new Map<number, string>();
const numbers = new Map<string, number>();
const mostKnown = 200_000;

/** The number of a day, as `2026-05-03`, or of the day of a moment. */
export function dayOf(text: string): number {
  const day = text.length > 10 ? text.slice(0, 10) : text;
  let number = numbers.get(day);
  if (number === undefined) {
    number = Math.floor(Date.parse(`${day}T00:00:00Z`) / dayLength);
    if (numbers.size < mostKnown) numbers.set(day, number);
  }
  return number;
}

/** The text of the day with a number. */
export function dayText(day: number): string {
  let text = texts.get(day);
  if (text === undefined) {
    text = new Date(day * dayLength).toISOString().slice(0, 10);
    if (texts.size < mostKnown) texts.set(day, text);
  }
  return text;
}

/** The first and last day on which a record existed, as far as known. */
export interface Lifetime {
  begin: number;
  end: number;
}

export const always: Lifetime = { begin: -Infinity, end: Infinity };

/** When the records of an entity were there, by their days; undefined where it has none that tell. */
export function lifetimesOf(
  entity: Entity,
): ((row: Readonly<Record<string, unknown>>) => Lifetime) | undefined {
  const of = (wanted: (rank: Rank) => boolean) =>
    entity.fields
      .filter((field) => isDay(field) && wanted(rankOf(field)))
      .map((field) => columnOf(field));
  const begins = of((rank) => ranks[rank] > ranks.birth && ranks[rank] < ranks.ended);
  const ends = of((rank) => rank === "ended");
  if (begins.length + ends.length === 0) return undefined;
  return (row) => {
    const lifetime = { ...always };
    for (const column of begins) {
      const value = row[column];
      if (value) lifetime.begin = Math.max(lifetime.begin, dayOf(String(value)));
    }
    for (const column of ends) {
      const value = row[column];
      if (value) lifetime.end = Math.min(lifetime.end, dayOf(String(value)));
    }
    return lifetime;
  };
}

/** The columns by whose days such a lifetime is known. */
export function lifetimeColumns(entity: Entity): string[] {
  return entity.fields.filter(isDay).map(columnOf);
}

/** Whether a field's values have a day. */
export function isDay({ type }: Field): boolean {
  return type.kind === "date" || type.kind === "datetime";
}

/** A field with a day, ready for rows. */
export interface DayMaker {
  /**
   * The number of a day. It is that of the row alone, unless it would contradict what it belongs to, or earlier
   * days of its record: then it lies within them, if the field's range leaves room for that.
   */
  day(row: number, turn: number, made: Readonly<Record<string, Value>>, within: Lifetime): number;
  /** How many days a unique field can have; those of its range. */
  capacity: number;
  /** The day of a unique field with a number from 0 to the capacity. */
  nth(index: number): number;
}

/** What days of a field lie between: so many days back from this one; and whether there are more at the near end. */
interface Reach {
  from: number;
  to: number;
  near?: boolean;
}

const year = 365;
/** A record that others belong to began a while ago, to leave time for them. */
const beginnings: Readonly<Record<PlaceInLife, Reach>> = {
  first: { from: 12 * year, to: 3 * year },
  between: { from: 5 * year, to: 120 },
  last: { from: 3 * year, to: 0, near: true },
};

function reachOf(rank: Rank, persons: boolean, placeInLife: PlaceInLife): Reach {
  switch (rank) {
    case "birth":
      return persons ? { from: 80 * year, to: 18 * year } : beginnings[placeInLife];
    case "acquired":
    case "delivered":
    case "begun":
    case "recorded":
      return beginnings[placeInLife];
    case "happened":
      return { from: 2 * year, to: 0, near: true };
    case "ended":
      return { from: year, to: 0 };
    case "due":
      return { from: 0, to: -90 };
  }
}

/** Days of a field. `today` is the number of the day from which they count back; `persons` are born longer ago. */
export function dayMaker(
  entity: Entity,
  field: Field,
  {
    seed,
    today,
    wanted,
    persons,
    placeInLife,
  }: { seed: number; today: number; wanted: number; persons: boolean; placeInLife: PlaceInLife },
): DayMaker {
  const rank = rankOf(field);
  const { min, max } = field.type as { min?: string; max?: string };
  const bound = (text: string | undefined) =>
    text === undefined ? undefined : text === "today" ? today : dayOf(text);
  const least = bound(min) ?? -Infinity;
  const most = bound(max) ?? Infinity;
  const { from, to, near = false } = reachOf(rank, persons, placeInLife);
  const newest = today - to;
  // Where the range lies elsewhere, days lie at its near end.
  let last = Math.min(most, Math.max(least, newest));
  if (least > newest) last = Math.min(most, least + year);
  const first = Math.max(least, last - (from - to));
  const draw = new Draw(seed, entity.name, field.name);
  const before = entity.fields
    .filter((other) => other !== field && isDay(other) && ranks[rankOf(other)] < ranks[rank])
    // Nobody joins as a small child.
    .map(
      (other) => [columnOf(other), persons && rankOf(other) === "birth" ? 16 * year : 0] as const,
    );
  const spread = (share: number, low: number, high: number) =>
    high - Math.floor((near ? (share + share * share) / 2 : share) * (high - low + 1));
  const bounded = Number.isFinite(least) && Number.isFinite(most);
  const start = bounded
    ? least
    : Math.max(least, last - Math.max(from - to, Math.ceil(wanted * 1.25)));
  const size = (bounded ? most : last) - start + 1;
  const order =
    size <= longestShuffle ? new Shuffle(size, seed, entity.name, field.name) : undefined;
  return {
    day: (row, turn, made, within) => {
      const share = draw.at(row, turn).next();
      const day = spread(share, first, last);
      let low = Math.max(least, within.begin);
      for (const [column, apart] of before) {
        const value = made[column];
        if (typeof value === "string") low = Math.max(low, dayOf(value) + apart);
      }
      // A record that began late has only the days since then.
      const latest = rank === "due" ? low + 60 : today;
      const high = Math.min(most, within.end, low > newest ? Math.max(newest, latest) : newest);
      if ((day >= low && day <= high) || low > high) return day;
      return low === -Infinity ? Math.min(day, high) : spread(share, low, high);
    },
    capacity: bounded || field.unique ? size : Infinity,
    nth: (index) => start + (order?.at(index) ?? index),
  };
}
