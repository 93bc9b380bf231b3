import type { Kind, TypeOf } from "../fields/field-type.ts";
import type { Field } from "../model/model.ts";
import { slugOf } from "../naming/words.ts";
import { columnOf } from "../schema/from-model.ts";
import { usualAmounts } from "./amounts.ts";
import { dayMaker, dayText, type Lifetime } from "./days.ts";
import type { Making } from "./making.ts";
import { isRest, natureOf, subjectOf } from "./meaning.ts";
import { Draw, Shuffle } from "./random.ts";
import { entitySlug, lengthOf, textMaker } from "./texts.ts";
import type { Value } from "./value.ts";

/** The values of a field. */
export interface ValueMaker {
  /** The value of a row, which may have others so far; another turn gives another value, if there is one. */
  value(row: number, turn: number, made: Readonly<Record<string, Value>>, within: Lifetime): Value;
  /** How many different values there are, in all. */
  capacity: number;
  /**
   * The value with a number from 0 to the capacity; no two are alike. Where there is none, the values of a row
   * differ from those of others by their turn.
   */
  nth?(index: number): Value;
  /** Whether two values may be alike all the same, as where texts are cut. */
  unsure?: boolean;
}

/** Values of a field that isn't a relationship, as they would be in real rows. */
export function valueMaker(field: Field, making: Making): ValueMaker {
  const { seed, entity } = making;
  const key = [seed, entity.name, field.name] as const;
  return makers[field.type.kind](field, making, key);
}

type Maker = (field: Field, making: Making, key: readonly [number, string, string]) => ValueMaker;

/** For what has no values of its own: records, people and files are drawn elsewhere. */
const nothing: Maker = () => ({ value: () => null, capacity: 0 });

/** How values are made, by type. */
const makers: Readonly<Record<Kind, Maker>> = {
  text: lineMaker,
  "long text": lineMaker,
  email: addressMaker,
  url: urlMaker,
  phone: phoneMaker,
  color: colorMaker,
  place: placeMaker,
  integer: numberMaker,
  decimal: numberMaker,
  money: numberMaker,
  percent: numberMaker,
  boolean: booleanMaker,
  date: dateMaker,
  datetime: momentMaker,
  time: timeMaker,
  duration: durationMaker,
  choice: choiceMaker,
  one: nothing,
  "part of": nothing,
  many: nothing,
  formula: nothing,
  image: filesMaker,
  file: filesMaker,
  tags: tagsMaker,
  user: nothing,
};

function lineMaker(field: Field, making: Making): ValueMaker {
  const { text, nth } = textMaker(field, making);
  const { max } = lengthOf(field);
  return { value: text, nth, capacity: max < 8 ? 36 ** max : Infinity, unsure: true };
}

function urlMaker(_field: Field, making: Making): ValueMaker {
  const named = namingColumn(making);
  const slug = entitySlug(making.entity);
  const value = (row: number, made: Readonly<Record<string, Value>>, again: string) => {
    const name = named && typeof made[named] === "string" ? slugOf(made[named]) : "";
    return name
      ? `https://www.example.org/${name}${again}`
      : `https://www.example.org/${slug}/${row + 1}`;
  };
  return {
    value: (row, turn, made) => value(row, made, turn > 0 ? `-${row + 1}` : ""),
    capacity: Infinity,
  };
}

function phoneMaker(...[, , key]: Parameters<Maker>): ValueMaker {
  const numbers = new Shuffle(10_000_000, ...key);
  const nth = (index: number) => {
    const digits = String(numbers.at(index % numbers.size)).padStart(7, "0");
    const again = Math.floor(index / numbers.size);
    return `+00 555 ${digits.slice(0, 3)} ${digits.slice(3)}${again > 0 ? ` ${again}` : ""}`;
  };
  return { value: nth, nth, capacity: Infinity };
}

function colorMaker(...[, , key]: Parameters<Maker>): ValueMaker {
  const draw = new Draw(...key);
  const all = new Shuffle(0x1000000, ...key);
  const hex = (number: number) => `#${number.toString(16).padStart(6, "0")}`;
  return {
    value: (row, turn) => draw.at(row, turn).pick(paints),
    nth: (index) => hex(all.at(index)),
    capacity: all.size,
  };
}

/** Places of one region, as those of an organisation are. */
function placeMaker(...[, , key]: Parameters<Maker>): ValueMaker {
  const all = new Shuffle(3000 * 3500, ...key);
  const nth = (index: number) => {
    const number = all.at(index % all.size);
    const [north, east] = [Math.floor(number / 3500), number % 3500];
    return `${(39_500 + north) / 1000},${(east - 5500) / 1000}`;
  };
  return { value: (row) => nth(row), nth, capacity: all.size };
}

/** One to three tags, as people give them. */
function tagsMaker(...[, { vocabulary }, key]: Parameters<Maker>): ValueMaker {
  const draw = new Draw(...key);
  const all = vocabulary.tags;
  return {
    value: (row, turn) => {
      draw.at(row, turn);
      const first = draw.whole(0, all.length - 1);
      const several = draw.whole(1, 3);
      const some = Array.from({ length: several }, (_, at) => all[(first + at * 5) % all.length]);
      return [...new Set(some)].join(", ");
    },
    capacity: all.length,
  };
}

/** One of the files that there are; a stand-in for none, where nobody made any. */
function filesMaker(...[field, { entity, files }, key]: Parameters<Maker>): ValueMaker {
  const draw = new Draw(...key);
  const there = files?.get(`${entity.name}.${field.name}`) ?? [];
  if (there.length === 0) return { value: () => (field.required ? "[]" : null), capacity: 1 };
  return { value: (row, turn) => draw.at(row, turn).pick(there), capacity: there.length };
}

function booleanMaker(...[field, , key]: Parameters<Maker>): ValueMaker {
  const draw = new Draw(...key);
  const start = field.default && "value" in field.default ? field.default.value : undefined;
  const share = start === true ? 0.85 : start === false ? 0.2 : 0.55;
  return {
    value: (row, turn) => draw.at(row, turn).next() < share,
    nth: (index) => index === 1,
    capacity: 2,
  };
}

function dateMaker(field: Field, making: Making): ValueMaker {
  const { day, nth, capacity } = daysOf(field, making, making.today);
  return {
    value: (row, turn, made, within) => dayText(day(row, turn, made, within)),
    nth: (index) => dayText(nth(index)),
    capacity,
  };
}

function momentMaker(...[field, making, key]: Parameters<Maker>): ValueMaker {
  // A time today may still lie in the future.
  const { day, nth, capacity } = daysOf(field, making, making.today - 1);
  const clock = new Draw(...key, "clock");
  const time = (fives: number) => `${timeText(420 + 5 * fives)}:00Z`;
  const slots = 12 * 12;
  return {
    value: (row, turn, made, within) =>
      `${dayText(day(row, turn, made, within))}T${time(clock.at(row, turn).whole(0, slots - 1))}`,
    nth: (index) => `${dayText(nth(Math.floor(index / slots)))}T${time(index % slots)}`,
    capacity: capacity * slots,
  };
}

function daysOf(field: Field, { seed, wanted, placeInLife, entity }: Making, today: number) {
  const persons = natureOf(entity) === "person";
  return dayMaker(entity, field, { seed, today, wanted, persons, placeInLife });
}

function timeMaker(...[, , key]: Parameters<Maker>): ValueMaker {
  const draw = new Draw(...key);
  const minutes = new Shuffle(1440, ...key);
  return {
    value: (row, turn) => timeText(420 + 15 * Math.floor(draw.at(row, turn).middling() * 49)),
    nth: (index) => timeText(minutes.at(index)),
    capacity: 1440,
  };
}

/** A quarter of an hour to a working day, in seconds. */
function durationMaker(...[, , key]: Parameters<Maker>): ValueMaker {
  const draw = new Draw(...key);
  return {
    value: (row, turn) => 900 * (1 + Math.floor(draw.at(row, turn).middling() * 32)),
    nth: (index) => 60 * (index + 1),
    capacity: Infinity,
  };
}

function timeText(minute: number): string {
  const two = (number: number) => String(number).padStart(2, "0");
  return `${two(Math.floor(minute / 60))}:${two(minute % 60)}`;
}

/** Colours that things are painted in. */
const paints = [
  "#f4f1e8",
  "#e8c547",
  "#d98e2b",
  "#b5482f",
  "#7a3b2e",
  "#5b7f4b",
  "#2f6f73",
  "#3d6fa8",
  "#7d9cc4",
  "#8a6f9e",
  "#9a9a92",
  "#3a3a38",
] as const;

/** An address that matches the person of the row, or the name of its subject. */
function addressMaker(field: Field, making: Making): ValueMaker {
  const { max } = lengthOf(field);
  const most = Math.min(max, 254);
  const named = namingColumn(making);
  const ofPerson = natureOf(making.entity) === "person";
  const address = (row: number, made: Readonly<Record<string, Value>>, again: string) => {
    const name = named && typeof made[named] === "string" ? slugOf(made[named]) : "";
    const start = ofPerson
      ? making.people.address(row)
      : name || (named ? "" : `${entitySlug(making.entity)}${row + 1}`) || `info${row + 1}`;
    const whole = `${start}${again}@example.org`;
    return whole.length <= most ? whole : `${row.toString(36)}@example.org`.slice(-most);
  };
  return {
    // People with the same name get the same address with a number added.
    value: (row, turn, made) => address(row, made, turn > 0 ? `.${row + 1}` : ""),
    capacity: Infinity,
  };
}

/** The column with the name of what a row is about, if it has one. */
function namingColumn({ entity }: Making): string | undefined {
  const naming = entity.fields.find(
    (field) =>
      field.type.kind === "text" && ["name", "full name"].includes(subjectOf(entity, field)),
  );
  return naming && columnOf(naming);
}

/** The first choices come more often than the last, the default most often, and what says that nothing fits seldom. */
function choiceMaker(field: Field, { entity, seed }: Making): ValueMaker {
  const { choices } = field.type as TypeOf<"choice">;
  const start = field.default && "value" in field.default ? field.default.value : undefined;
  const plain = choices.map((choice, at) => (isRest(choice) ? 0.15 : 1 / (at + 2)));
  const others = plain.reduce((sum, each, at) => sum + (choices[at] === start ? 0 : each), 0);
  const weights = plain.map((each, at) =>
    choices[at] === start && !isRest(String(start)) ? Math.max(each, 1.5 * others) : each,
  );
  const sum = weights.reduce((total, each) => total + each, 0);
  let reached = 0;
  const limits = weights.map((each) => {
    reached += each / sum;
    return reached;
  });
  const draw = new Draw(seed, entity.name, field.name);
  return {
    value: (row, turn) => {
      const at = draw.at(row, turn).next();
      const found = limits.findIndex((limit) => at < limit);
      return choices[found < 0 ? choices.length - 1 : found] ?? null;
    },
    nth: (index) => choices[index] ?? null,
    capacity: choices.length,
  };
}

/** Numbers round the middle of their range; amounts of money as prices are. */
function numberMaker(field: Field, making: Making): ValueMaker {
  const {
    kind,
    places = 0,
    min,
    max,
  } = field.type as {
    kind: string;
    places?: number;
    min?: number;
    max?: number;
  };
  const scale = 10 ** places;
  const [low, high] = usualRange(field, making, { kind, min, max });
  const least = Math.ceil(low * scale - 1e-9);
  const most = Math.max(least, Math.floor(high * scale + 1e-9));
  // The quotient of two whole numbers is the number nearest to what is meant.
  const exact = (scaled: number) => scaled / scale;
  const draw = new Draw(making.seed, making.entity.name, field.name);
  const bottom = Math.ceil(
    (min ?? (max === undefined ? 1 : Math.min(1, max - making.wanted))) * scale - 1e-9,
  );
  const top = max === undefined ? Infinity : Math.floor(max * scale + 1e-9);
  const whole = (top - bottom) / scale + 1 >= making.wanted ? scale : 1;
  return {
    value: (row, turn) => {
      const scaled = least + Math.floor(draw.at(row, turn).middling() * (most - least + 1));
      if (kind !== "money") return exact(scaled);
      const price = Math.round(asPrice(scaled / scale, draw) * scale);
      return exact(price >= least && price <= most ? price : scaled);
    },
    nth: (index) => exact(bottom + index * whole),
    capacity: Math.floor((top - bottom) / whole) + 1,
  };
}

/** Where the numbers of a field lie: within its range, and about where they usually do. */
function usualRange(
  field: Field,
  { today }: Making,
  { kind, min, max }: { kind: string; min?: number | undefined; max?: number | undefined },
): [number, number] {
  const year = Number(dayText(today).slice(0, 4));
  const usual =
    kind === "money"
      ? ([5, 250] as const)
      : kind === "percent"
        ? ([0, 100] as const)
        : usualAmounts(field, year);
  if (usual) {
    const low = Math.max(usual[0], min ?? -Infinity);
    const high = Math.min(usual[1], max ?? Infinity);
    if (low < high) return [low, high];
  }
  if (min !== undefined) return [min, max ?? min + 100];
  return max === undefined ? [kind === "integer" ? 1 : 0, 100] : [max >= 0 ? 0 : max - 100, max];
}

/** The nearest amount that somebody would ask for. */
function asPrice(amount: number, draw: Draw): number {
  if (amount < 1) return amount;
  if (amount < 20) {
    const ends = [0, 0, 0.5, 0.5, 0.8, 0.9];
    return Math.floor(amount) + draw.pick(ends);
  }
  const step = amount < 100 ? 1 : amount < 1000 ? 5 : amount < 10_000 ? 50 : 500;
  return Math.round(amount / step) * step;
}
