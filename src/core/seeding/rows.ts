import type { RowLocalRule } from "../formula/row-local-rules.ts";
import {
  type Entity,
  type Field,
  isComputed,
  isMany,
  isReference,
  type Model,
} from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import { conditionsOf, type RowConditions, settle } from "./conditions.ts";
import { always, dayOf, dayText, isDay, type Lifetime, lifetimesOf } from "./days.ts";
import { type FieldMaker, fieldMakers, narrowed } from "./fields.ts";
import { Counter, Group, keyOf } from "./groups.ts";
import { makingOf } from "./making.ts";
import type { Records } from "./parents.ts";
import { Draw } from "./random.ts";
import { SeenKeys } from "./seen.ts";
import type { Value } from "./value.ts";

/** What sample rows are made from. */
export interface SeedSource {
  /** The number that they follow from. */
  seed: number;
  /** The day from which days count back, as `2026-05-03`; and the moment of saving. */
  today: string;
  now: string;
  /** What rows can refer to, by entity; those of entities that come later are missing. */
  records: ReadonlyMap<string, Records>;
  /** What existing rows have, by column: that must not come again where it is unique, and codes look like it. */
  there?: ReadonlyMap<string, readonly Value[]>;
  /** What fields of files can hold, as in `Hive.photo`. */
  files?: ReadonlyMap<string, readonly string[]>;
}

/** Why a row couldn't be made. */
export type Trouble =
  | { kind: "rule"; rule: RowLocalRule }
  | { kind: "used up"; columns: string[]; capacity: number }
  | { kind: "missing"; column: string };

/** Ends seeding where no row can be made that obeys everything. */
export class Unmakeable extends Error {
  constructor(
    readonly entity: Entity,
    readonly row: number,
    readonly trouble: Trouble,
    readonly tries: number,
  ) {
    super(`no row for ${entity.name} could be made`);
  }
}

/** How often another row is tried in the place of one that violates a rule or is repeated. */
export const mostTries = 400;
/** How often references are drawn again so that days fit what the record belongs to. */
const dayTries = 8;

type Row = Record<string, Value>;

/** The fields of an entity for which rows get values, in the order of the model. */
export function seededFields(entity: Entity): Field[] {
  return entity.fields.filter((field) => !isMany(field) && !isComputed(field));
}

/** Makes the rows of an entity, one after the other; each is the same for the same source. */
export class RowMaker {
  /** The columns that rows have values for. */
  readonly columns: string[];
  /** References to records that are only made later: empty so far. */
  readonly late: (Field & { type: { entity: string } })[];
  readonly #makers: FieldMaker[];
  readonly #conditions: RowConditions;
  /** By which defaults that are computed are taken as computed, in most rows. */
  readonly #asComputed: ReadonlyMap<Field, Draw>;
  readonly #groups: Group[] = [];
  /** The fields that count, by their places among the makers. */
  readonly #counters = new Map<number, Counter>();
  /** What unique fields have had, where that isn't told by their numbers. */
  readonly #seen = new Map<FieldMaker, SeenKeys>();
  /** How many numbers of a unique field were passed over, by its place. */
  readonly #shifts: number[];
  readonly #turns: number[];
  readonly #within: Lifetime = { ...always };
  readonly #lifetime: ReturnType<typeof lifetimesOf>;
  readonly #records: Records | undefined;

  constructor(
    model: Model,
    readonly entity: Entity,
    readonly source: SeedSource,
    wanted: number,
  ) {
    const { seed, today, now, records, there, files } = source;
    const examples = new Map(
      entity.fields.flatMap((field) => {
        const value = there?.get(columnOf(field))?.at(-1);
        return typeof value === "string" ? [[field.name, value] as const] : [];
      }),
    );
    const making = makingOf(model, entity, {
      seed,
      today: dayOf(today),
      wanted,
      ...(examples.size > 0 && { examples }),
      ...(files && { files }),
    });
    const fields = seededFields(entity);
    this.columns = fields.map(columnOf);
    this.#makers = fieldMakers(fields, making, records);
    this.late = this.#makers.flatMap(({ field, late }) =>
      late && isReference(field) ? [field] : [],
    );
    this.#conditions = conditionsOf(model, entity, { today, now });
    this.#asComputed = new Map(
      this.#conditions.computed.map(({ field }) => [
        field,
        new Draw(seed, entity.name, field.name, "computed"),
      ]),
    );
    this.#shifts = this.#makers.map(() => 0);
    this.#turns = this.#makers.map(() => 0);
    this.#records = records.get(entity.name);
    this.#lifetime = this.#records && lifetimesOf(entity);
    for (const maker of this.#makers) {
      const taken = there?.get(maker.column);
      if (!maker.field.unique || !(taken || maker.unsure || !maker.nth)) continue;
      const seen = new SeenKeys();
      for (const value of taken ?? []) if (value !== null) seen.add(keyOf(value));
      this.#seen.set(maker, seen);
    }
    for (const names of entity.unique) {
      const makers = this.#makers.filter(({ field }) => names.includes(field.name));
      // One that stays empty leaves the others free.
      if (makers.length < names.length) continue;
      const group = new Group(makers);
      const counter = Counter.of(group);
      const columns = makers.map(({ column }) => [column, there?.get(column) ?? []] as const);
      for (const at of columns[0]?.[1].keys() ?? []) {
        const row = Object.fromEntries(columns.map(([name, values]) => [name, values[at] ?? null]));
        group.note(row);
        counter?.note(row);
      }
      if (counter) this.#counters.set(this.#makers.indexOf(counter.by), counter);
      this.#groups.push(group);
    }
  }

  /** The row with a number, counted from 0. Rows are made in their order. */
  make(row: number): Row {
    this.#turns.fill(0);
    const made = this.#search(row);
    this.#remember(made);
    this.#records?.add(this.#lifetime?.(made));
    return made;
  }

  /**
   * Another row in the place of one that was made: some columns begin with another turn. What is unique, and what
   * refers to the same entity, stays as it was and is left out.
   */
  remake(row: number, turn: number, columns: readonly string[]): Row {
    for (const [at, { column }] of this.#makers.entries()) {
      this.#turns[at] = columns.includes(column) ? turn * mostTries : 0;
    }
    const made = this.#search(row);
    this.#remember(made);
    const kept = this.#makers.filter(
      ({ field, late }) =>
        !field.unique && !late && !(isReference(field) && field.type.entity === this.entity.name),
    );
    return Object.fromEntries(kept.map(({ column }) => [column, made[column] ?? null]));
  }

  #search(row: number): Row {
    let trouble: Trouble | undefined;
    for (let tries = 0; tries < mostTries; tries++) {
      const made = this.#draft(row);
      if (tries < dayTries && this.#isStrained(made)) {
        this.#again(
          ({ field }) => isReference(field) && !field.unique && field.type.kind === "one",
        );
        continue;
      }
      trouble = this.#trouble(made, tries);
      if (!trouble) return made;
    }
    throw new Unmakeable(this.entity, row, trouble ?? { kind: "missing", column: "" }, mostTries);
  }

  /** Values of a row, one after the other; each in its turn. */
  #draft(row: number): Row {
    const made: Row = {};
    for (const column of this.columns) made[column] = null;
    this.#within.begin = -Infinity;
    this.#within.end = Infinity;
    let referring = true;
    for (let at = 0; at < this.#makers.length; at++) {
      const maker = this.#makers[at] as FieldMaker;
      if (referring && !isReference(maker.field)) {
        referring = false;
        narrowed(this.#makers, made, this.source.records, this.#within);
      }
      made[maker.column] = this.#value(at, maker, row, made);
    }
    settle(made, this.#conditions, this.source.today, {
      made: (field) => {
        const at = this.#makers.findIndex((maker) => maker.field === field);
        const maker = this.#makers[at] as FieldMaker;
        return maker.filled(row, this.#turns[at] ?? 0, made, this.#within);
      },
      asComputed: (field) => (this.#asComputed.get(field)?.at(row).next() ?? 1) < 0.8,
    });
    return made;
  }

  #value(at: number, maker: FieldMaker, row: number, made: Row): Value {
    const { field, nth } = maker;
    if (maker.late) return null;
    const turn = this.#turns[at] ?? 0;
    const plain =
      this.#counters.get(at)?.next(made, turn % mostTries) ??
      maker.value(row, turn, made, this.#within);
    if (!field.unique || plain === null) return plain;
    const seen = this.#seen.get(maker);
    if (!nth) {
      let value: Value = plain;
      for (let more = turn; seen?.has(keyOf(value)) && more < turn + mostTries; more++) {
        value = maker.value(row, more + 1, made, this.#within);
        if (value === null) return value;
      }
      return value;
    }
    for (;;) {
      const number = row + (this.#shifts[at] ?? 0);
      if (number >= maker.capacity) {
        if (!field.required) return null;
        const trouble: Trouble = {
          kind: "used up",
          columns: [maker.column],
          capacity: maker.capacity,
        };
        throw new Unmakeable(this.entity, row, trouble, 1);
      }
      const value = nth(number);
      if (!seen?.has(keyOf(value))) return value;
      this.#shifts[at] = (this.#shifts[at] ?? 0) + 1;
    }
  }

  /** Gives some fields another turn; of those whose values are numbered, the next number. */
  #again(which: (maker: FieldMaker) => boolean): void {
    for (const [at, maker] of this.#makers.entries()) {
      if (!which(maker)) continue;
      const steps = maker.field.unique && maker.nth ? this.#shifts : this.#turns;
      steps[at] = (steps[at] ?? 0) + 1;
    }
  }

  /** Whether days lie outside of the lifetimes of what the row belongs to. */
  #isStrained(made: Row): boolean {
    const { begin, end } = this.#within;
    if (begin === -Infinity && end === Infinity) return false;
    return this.#makers.some(({ field, column }) => {
      const value = made[column];
      if (typeof value !== "string" || !isDay(field)) return false;
      return (
        (begin !== -Infinity && value.slice(0, 10) < dayText(begin)) ||
        (end !== Infinity && value.slice(0, 10) > dayText(end))
      );
    });
  }

  /** Why a row can't be used; the fields that cause it are made again. */
  #trouble(made: Row, tries: number): Trouble | undefined {
    const empty = this.#makers.find(({ field, column }) => field.required && made[column] === null);
    if (empty) return { kind: "missing", column: empty.column };
    for (const group of this.#groups) {
      if (!group.isNew(made) && !(tries > 40 && group.goThrough(made, this.source.records))) {
        const free = group.makers.filter(({ field }) => !field.unique);
        const plain = free.filter(({ field }) => !isReference(field));
        const again = tries < 20 && plain.length > 0 ? plain : free;
        this.#again((maker) => again.includes(maker));
        const columns = group.makers.map(({ column }) => column);
        return { kind: "used up", columns, capacity: group.capacity };
      }
    }
    const rule = this.#conditions.broken(made);
    if (!rule) return undefined;
    const named = this.#makers.filter(({ column }) => rule.columns.includes(column));
    const free = named.filter(({ field }) => !field.unique);
    const again = free.length > 0 ? free : named;
    this.#again((maker) => again.includes(maker));
    return { kind: "rule", rule };
  }

  /** Remembers what must not come again. */
  #remember(made: Row): void {
    for (const [maker, seen] of this.#seen) {
      const value = made[maker.column] ?? null;
      if (value !== null) seen.add(keyOf(value));
    }
    for (const group of this.#groups) group.note(made);
    for (const counter of this.#counters.values()) counter.note(made);
  }
}
