import type { Entity, Field } from "../model/model.ts";
import { slugOf } from "../naming/words.ts";
import type { Random } from "./random.ts";
import {
  familyNames,
  givenNames,
  phrases,
  placeEnds,
  placeStarts,
  remarks,
  townEnds,
  townStarts,
} from "./words.ts";

/** What a value is made for: the row, counted from 0, and the day that counts as today. */
export interface Occasion {
  entity: Entity;
  row: number;
  /** How many values for this row came out like an earlier row's. */
  attempt: number;
  /** The values that the row has so far. */
  made: Readonly<Record<string, Value>>;
  /** As `2026-05-03`. */
  today: string;
  random: Random;
  /** The given and family name that belong to this row. */
  person: { given: string; family: string };
}

export type Value = string | number | boolean | null;

const personal =
  /keeper|person|people|member|owner|user|student|patient|teacher|doctor|author|farmer|helper/i;
const placed =
  /apiary|apiaries|site|place|farm|station|garden|field|location|town|city|village|building|yard|region|area|room/i;
const days = 86_400_000;

/** The person that a row's names and addresses are about. */
export function personFor(random: Random): { given: string; family: string } {
  return { given: random.pick(givenNames), family: random.pick(familyNames) };
}

/** A believable value for a field that isn't a relationship: by its name first, by its type else. */
export function valueFor(field: Field, occasion: Occasion): Value {
  const { random, row, today, person } = occasion;
  const { type } = field;
  switch (type.kind) {
    case "text":
    case "long text":
      return fitted(field, type.kind === "text" ? line(field, occasion) : note(random), occasion);
    case "email": {
      const name = `${slugOf(person.given)}.${slugOf(person.family)}`;
      return `${name}${row + 1}@example.org`;
    }
    case "phone":
      return `+00 555 ${String(100 + random.whole(0, 899))} ${String(1000 + (row % 9000)).padStart(4, "0")}`;
    case "url":
      return `https://${slugOf(random.pick(placeStarts))}.example.org/${row + 1}`;
    case "color":
      return `#${random.whole(0, 0xffffff).toString(16).padStart(6, "0")}`;
    case "integer":
    case "decimal":
    case "money":
    case "percent":
      return numeric(field, occasion);
    case "boolean":
      return random.next() < 0.5;
    case "date":
      return dateWithin(field, occasion);
    case "time":
      return `${String(random.whole(7, 19)).padStart(2, "0")}:${random.pick(["00", "15", "30", "45"])}`;
    case "datetime": {
      const time = Date.parse(`${today}T00:00:00Z`) - random.whole(1, 700) * days;
      return `${new Date(time + random.whole(7 * 60, 19 * 60) * 60_000).toISOString().slice(0, 19)}Z`;
    }
    case "choice":
      return random.pick(type.choices);
    default:
      return null;
  }
}

function line(field: Field, { entity, random, row, person }: Occasion): string {
  const name = field.name;
  const shape = field.placeholder ?? field.hint?.match(/\b[A-Z]+-?\d+\b/)?.[0];
  if (/(^|_)(code|number|reference|serial|tag|mark)$/.test(name)) return coded(shape, entity, row);
  if (/^(first|given)_?name$/.test(name)) return person.given;
  if (/^(last|family)_?name$|^surname$/.test(name)) return person.family;
  if (
    /(^|_)name$/.test(name) &&
    (personal.test(entity.name) || /person|owner|contact/.test(name))
  ) {
    return `${person.given} ${person.family}`;
  }
  if (/(^|_)(town|city|village|place|location)$/.test(name))
    return random.pick(townStarts) + random.pick(townEnds);
  if (/(^|_)(street|address)$/.test(name)) {
    return `${random.whole(1, 120)} ${random.pick(placeStarts)} ${random.pick(["Lane", "Road", "Row"])}`;
  }
  if (/(^|_)(postcode|postal_code|zip)$/.test(name)) return String(10000 + random.whole(0, 89999));
  if (/(^|_)(name|title)$/.test(name)) {
    const place = `${random.pick(placeStarts)} ${random.pick(placeEnds)}`;
    return placed.test(entity.name) ? place : `${entity.label} ${row + 1}`;
  }
  return random.pick(phrases);
}

/** A code in the shape of an example such as `B-07`, counted up; else of the entity's first letter. */
function coded(shape: string | undefined, entity: Entity, row: number): string {
  const [, start, digits] = /^(.*?)(\d+)\D*$/.exec(shape ?? "") ?? [];
  if (start === undefined || digits === undefined) {
    return `${entity.name.charAt(0)}-${String(row + 1).padStart(3, "0")}`;
  }
  return start + String(row + 1).padStart(digits.length, "0");
}

function note(random: Random): string {
  const first = random.pick(remarks);
  const second = random.pick(remarks);
  return random.next() < 0.5 || first === second ? first : `${first} ${second}`;
}

/** A text within its range. A unique one gets the row's number when it keeps coming out like another. */
function fitted(field: Field, text: string, { row, attempt }: Occasion): string {
  if (!("min" in field.type || "max" in field.type || field.unique)) return text;
  const { min = 1, max = 255 } = field.type as { min?: number; max?: number };
  const numbered = field.unique && attempt > 20;
  const marked = numbered && !/\d$/.test(text) ? `${text} ${row + 1}` : text;
  const tail = numbered ? String(row + 1) : "";
  const characters = [...marked];
  if (characters.length > max) {
    return (
      characters
        .slice(0, Math.max(0, max - tail.length))
        .join("")
        .trimEnd() + tail.slice(-max)
    );
  }
  return characters.length < min ? marked + "x".repeat(min - characters.length) : marked;
}

const usual: readonly (readonly [RegExp, number, number])[] = [
  [/year/, 2015, 2026],
  [/age/, 1, 80],
  [/temperature/, -5, 35],
  [/weight/, 4, 60],
  [/elevation|altitude|height/, 50, 1500],
  [/frames|count|quantity|number/, 1, 20],
];

function numeric(field: Field, { random, row }: Occasion): number {
  const type = field.type as { kind: string; places?: number; min?: number; max?: number };
  const [, low, high] = usual.find(([name]) => name.test(field.name)) ?? [undefined, 0, 100];
  const fallback =
    type.kind === "money" ? [5, 250] : type.kind === "percent" ? [0, 100] : [low, high];
  const min = type.min ?? Math.min(fallback[0] ?? 0, type.max ?? fallback[0] ?? 0);
  const max = type.max ?? Math.max(fallback[1] ?? 100, min + 100);
  const places = type.places ?? 0;
  const scale = 10 ** places;
  if (field.unique) return Math.min(max, Math.ceil(min * scale) / scale + row / scale);
  const middle = min + ((max - min) * (random.next() + random.next())) / 2;
  const value =
    type.kind === "money" ? Math.round(middle * 2) / 2 : Math.round(middle * scale) / scale;
  const inside = Math.min(
    Math.floor(max * scale) / scale,
    Math.max(Math.ceil(min * scale) / scale, value),
  );
  return Number(inside.toFixed(places));
}

/** Fields whose date comes after the other dates of a row. */
const lastDates = /(^|_)(removed|ended|end|closed|left|returned|finished|retired|until|due)(_|$)/;

function dateWithin({ name, type, unique }: Field, { today, random, row, made }: Occasion): string {
  const bounds = type as { min?: string; max?: string };
  const day = (bound: string | undefined) =>
    bound === undefined ? undefined : Date.parse(`${bound === "today" ? today : bound}T00:00:00Z`);
  const now = Date.parse(`${today}T00:00:00Z`);
  const dates = Object.values(made).filter((value) => /^\d{4}-\d{2}-\d{2}$/.test(String(value)));
  const before = lastDates.test(name) ? dates.map(String).sort().at(-1) : undefined;
  const low = Math.max(day(bounds.min) ?? -Infinity, day(before) ?? -Infinity);
  const high = day(bounds.max) ?? Infinity;
  const last = Math.min(high, Math.max(now, low === -Infinity ? now : low));
  const first = Math.min(last, Math.max(low, last - 730 * days));
  const span = Math.floor((last - first) / days);
  const back = unique ? row % (span + 1) : Math.floor(random.next() ** 2 * (span + 1));
  return new Date(last - back * days).toISOString().slice(0, 10);
}

/** Whether a field is filled in few rows only: most things are still there. */
export function seldomFilled({ name, type }: Field): boolean {
  return type.kind === "date" && lastDates.test(name);
}
