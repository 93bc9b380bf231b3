import type { Entity, Field } from "../model/model.ts";
import { inSentence, slugOf } from "../naming/words.ts";
import type { Making } from "./making.ts";
import { natureOf, subjectOf } from "./meaning.ts";
import { People } from "./people.ts";
import { Draw, Shuffle } from "./random.ts";
import type { Pairs } from "./vocabulary.ts";

/** Texts of a field: the one of a row, and those that are all different, by their number. */
export interface TextMaker {
  text(row: number, turn: number): string;
  /** The text with a number; no two are alike, whatever their case. */
  nth(index: number): string;
}

/** Names by two words, each once until all combinations were taken; then with what sets them apart. */
class Names {
  readonly #starts: Shuffle;
  readonly #ends: Shuffle;

  constructor(
    readonly pairs: Pairs,
    ...key: readonly (string | number)[]
  ) {
    const { starts, ends } = pairs;
    this.#starts = new Shuffle(starts.length, ...key, "start");
    this.#ends = new Shuffle(ends.length, ...key, "end");
  }

  at(index: number): string {
    const { starts, ends, named, apart } = this.pairs;
    // Each beginning is used once before any is repeated, each time with another end.
    const first = index % starts.length;
    const round = Math.floor(index / starts.length) % ends.length;
    const start = starts[this.#starts.at(first)] ?? "";
    const end = ends[this.#ends.at((first + round) % ends.length)] ?? "";
    const again = Math.floor(index / (starts.length * ends.length));
    if (again === 0) return named(start, end);
    const set = apart[again - 1];
    return set ? named(start, end, set) : `${named(start, end)} ${again - apart.length + 1}`;
  }
}

/** The shape of a code, after an example such as `B-07`: what is before its last digits, and how many these are. */
function shapeOf(field: Field, making: Making): { before: string; digits: number; after: string } {
  const example =
    making.examples?.get(field.name) ??
    field.placeholder ??
    field.hint?.match(/\b\p{Lu}{1,4}[-/ ]?\d{1,8}\b/u)?.[0];
  const [, before, digits, after] = /^(.*?)(\d+)(\D*)$/.exec(example ?? "") ?? [];
  if (before !== undefined && digits !== undefined) {
    return { before, digits: digits.length, after: after ?? "" };
  }
  const first = making.entity.fields.find((each) => subjectOf(making.entity, each) === "code");
  const { name } = first === field ? making.entity : field;
  return { before: `${name.charAt(0).toUpperCase()}-`, digits: 3, after: "" };
}

/** Texts of a field, by what it is about, within its length. */
export function textMaker(field: Field, making: Making): TextMaker {
  const { min = 1, max } = lengthOf(field);
  const maker = makerFor(field, making);
  const fits = (text: string) => {
    if (text.length <= max && text.length >= min * 2) return true;
    const length = [...text].length;
    return length >= min && length <= max;
  };
  return {
    text: (row, turn) => {
      const text = maker.text(row, turn);
      return fits(text) ? text : fitted(text, min, max);
    },
    nth: (index) => {
      const text = maker.nth(index);
      return fits(text) ? text : numbered(text, index, min, max);
    },
  };
}

/** The length of a field's texts in characters. */
export function lengthOf({ type }: Field): { min?: number; max: number } {
  const { min, max } = type as { min?: number; max?: number };
  const usual = type.kind === "text" ? 255 : 100_000;
  return { ...(min !== undefined && { min }), max: max ?? usual };
}

function fitted(text: string, min: number, max: number): string {
  const characters = [...text];
  if (characters.length > max) {
    const cut = characters.slice(0, max).join("");
    // Rather a word less than half a one.
    const whole = cut.replace(/[\s,;:.]+\S*$/, "");
    return [...whole].length >= Math.max(min, 3) ? whole : cut.trimEnd().padEnd(min, "x");
  }
  let longer = text;
  while ([...longer].length < min) longer += ` ${text}`;
  return [...longer]
    .slice(0, Math.max(min, Math.min(max, [...longer].length)))
    .join("")
    .replace(/\s$/, ".");
}

/** A text that is cut or filled up, and differs from all others by a number at its end. */
function numbered(text: string, index: number, min: number, max: number): string {
  const number = max < 8 ? index.toString(36).toUpperCase() : String(index + 1);
  const room = Math.max(0, max - number.length - 1);
  const start = max < 8 ? "" : [...text].slice(0, Math.min(room, 40)).join("").trimEnd();
  const whole = start ? `${start} ${number}` : number;
  return start ? whole.padStart(min, "0") : whole.padStart(Math.max(min, Math.min(max, 3)), "0");
}

function makerFor(field: Field, making: Making): TextMaker {
  const { entity, seed, vocabulary } = making;
  const key = [seed, entity.name, field.name] as const;
  const draw = new Draw(...key);
  const picked = (list: readonly string[]): TextMaker => ({
    text: (row, turn) => draw.at(row, turn).pick(list),
    nth: (index) => {
      const again = Math.floor(index / list.length);
      const text = list[index % list.length] ?? "";
      return again === 0 ? text : `${text} ${again + 1}`;
    },
  });
  const counted = (nth: (index: number) => string): TextMaker => ({ text: nth, nth });
  const drawn = (size: number, nth: (index: number) => string): TextMaker => ({
    text: (row, turn) => nth(draw.at(row, turn).whole(0, size - 1)),
    nth,
  });
  const nature = natureOf(entity);
  const subject = field.type.kind === "long text" ? "note" : subjectOf(entity, field);
  switch (subject) {
    case "code": {
      const { before, digits, after } = shapeOf(field, making);
      return counted((index) => before + String(index + 1).padStart(digits, "0") + after);
    }
    case "given name":
      return counted((index) => {
        const { given, apart } = making.people.at(index);
        return field.unique ? `${given} ${index + 1}` : given + (apart && ` ${apart}`);
      });
    case "family name":
      return counted((index) => {
        const { family } = making.people.at(index);
        return field.unique ? `${family} ${index + 1}` : family;
      });
    case "full name": {
      // Whoever else is named in a record is somebody else.
      const own = nature === "person" && isOwnName(field);
      const people = own ? making.people : new People(vocabulary, ...key);
      return counted((index) => {
        const { given, family, apart } = people.at(index);
        return `${given} ${family}${apart && ` ${apart}`}`;
      });
    }
    case "account":
      return counted((index) => `${making.people.address(index)}${field.unique ? index + 1 : ""}`);
    case "town": {
      const { starts, ends } = vocabulary.towns;
      const town = (index: number) =>
        (starts[index % starts.length] ?? "") +
        (ends[Math.floor(index / starts.length) % ends.length] ?? "");
      const size = starts.length * ends.length;
      return drawn(size, (index) => {
        const again = Math.floor(index / size);
        return town(index) + (again > 0 ? ` ${again + 1}` : "");
      });
    }
    case "street": {
      const places = new Names(vocabulary.places, ...key);
      const text = (index: number) =>
        vocabulary.street(places.at(index), 1 + draw.at(index).whole(0, 118));
      return counted(text);
    }
    case "postcode":
      return drawn(
        90_000,
        (index) => String(10_000 + (index % 90_000)) + (index < 90_000 ? "" : `-${index}`),
      );
    case "organisation": {
      const names = new Names(vocabulary.organisations, ...key);
      const nth = (index: number) => names.at(index);
      // Its own name is another one in each record; those of others come again.
      return isOwnName(field) ? counted(nth) : drawn(40, nth);
    }
    case "compartment":
      return drawn(72, (index) => `${"ABCDEF"[index % 6]}${Math.floor(index / 6) + 1}`);
    case "name": {
      if (nature === "place") {
        const places = new Names(vocabulary.places, ...key);
        return counted((index) => places.at(index));
      }
      return counted((index) => `${entity.label} ${index + 1}`);
    }
    case "kind":
      // Of what nobody knows, `Breed C` is at least a possible one.
      return drawn(12, (index) => `${field.label} ${letters(index)}`);
    case "note": {
      const { sentences, more } = vocabulary.notes[nature];
      const text = (row: number, turn: number) => {
        const first = draw.at(row, turn).pick(sentences);
        return draw.next() < 0.55 ? first : `${first} ${draw.pick(more)}`;
      };
      return { text, nth: (index) => `${text(index, 0)} (${index + 1})` };
    }
    default:
      return picked(vocabulary.lists[subject]);
  }
}

/** `A` to `Z`, then `AA`. */
function letters(index: number): string {
  const letter = String.fromCharCode(65 + (index % 26));
  return index < 26 ? letter : letters(Math.floor(index / 26) - 1) + letter;
}

/** Whether a field is what its record itself is called. */
function isOwnName({ name }: Field): boolean {
  return /^(full_?)?(name|nombre)/i.test(name);
}

/** The beginning of an address, from the name of an entity. */
export function entitySlug({ plural, name }: Entity): string {
  return slugOf(inSentence(plural)) || slugOf(name) || "records";
}
