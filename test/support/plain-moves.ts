import type { FieldType } from "../../src/core/fields/field-type.ts";
import type { Entity, Field, Model } from "../../src/core/model/model.ts";
import { columnOf, linkOf, tableOf } from "../../src/core/schema/from-model.ts";

/** A value as any of the databases gives it: with yes and no as 1 and 0. */
export type Cell = string | number | null;

/** The rows of tables by their numbers; links as lists of the numbers on their other side. */
export interface Content {
  rows: Map<string, Map<number, Record<string, Cell>>>;
  links: Map<string, Map<number, number[]>>;
}

/** A cell that a row has to have, and what it may have instead where the field is held to less or more than before. */
export interface Expected {
  table: string;
  id: number;
  column: string;
  /** Any of these. */
  cells: readonly (Cell | string)[];
}

interface Moved {
  field: Field;
  old: Field;
  entity: Entity;
  former: Entity;
  /** What the entities of before are called now. */
  now: ReadonlyMap<string, string>;
}

/**
 * What rows have to look like after a migration from one model to another, worked out value by value in memory, from
 * what `was` says and from nothing that Levadura makes of it. Cells about which the models alone say nothing are left out.
 */
export function expectedCells(before: Model, after: Model, content: Content): Expected[] {
  return movesOf(before, after).flatMap((move) => {
    const rows = content.rows.get(tableOf(move.former.name)) ?? new Map();
    return [...rows].flatMap(([id, row]) => {
      const cells = cellsOf(move, { id, row, content, zone: after.app.timezone });
      return cells ? [{ ...placeOf(move), id, cells }] : [];
    });
  });
}

/** What somebody types into a cell after a migration, and what the cell is to say once it was taken back. */
export interface Edit {
  id: number;
  typed: { table: string; column: string; value: Cell };
  back: { table: string; column: string; value: Cell; before: Cell };
}

/** A cell of each kind in which people change something between forward and back: names, choices, days and moments. */
export function editsOf(before: Model, after: Model, content: Content): Edit[] {
  const moves = movesOf(before, after);
  return moves.flatMap((move) => {
    const { old, former } = move;
    // Where references become texts, or texts references, the name of a row is what others have.
    if (old.name === "name" && moves.some((other) => isNamedBy(other, move))) return [];
    const typed = typedInto(move, after.app.timezone);
    const rows = [...(content.rows.get(tableOf(former.name)) ?? [])];
    const [id, row] = (old.name === "name" ? rows[0] : rows.at(-1)) ?? [];
    if (!typed || id === undefined || !row) return [];
    const place = { table: tableOf(former.name), column: columnOf(old) };
    const value = row[place.column] ?? null;
    return [
      {
        id,
        typed: { ...placeOf(move), value: typed.value },
        back: { ...place, value: typed.back, before: value },
      },
    ];
  });
}

/** Whether a field that turns from a reference into a text, or back, says what rows are called. */
function isNamedBy({ old, field }: Moved, { former, entity }: Moved): boolean {
  const [from, to] = [old.type, field.type];
  if (from.kind === "one" && to.kind !== "one") return from.entity === former.name;
  return from.kind !== "one" && to.kind === "one" && to.entity === entity.name;
}

function typedInto({ field, old }: Moved, zone: string): { value: Cell; back: Cell } | undefined {
  const [from, to] = [old.type, field.type];
  if (old.name === "name") return { value: "By hand", back: "By hand" };
  if (from.kind === "date" && to.kind === "datetime") {
    const moment = "2026-07-01T20:30:00Z";
    return { value: moment, back: shownBy(new Date(moment), zone)[0] };
  }
  if (from.kind === "datetime" && to.kind === "date") {
    return { value: "2026-07-02", back: firstMoment("2026-07-02", zone) };
  }
  if (from.kind !== "choice" || to.kind !== "choice") return undefined;
  // Rules of random models are about the first choice.
  for (const choice of to.choices.slice(1)) {
    const olds = from.choices.filter((each) => choiceAfter(each, to) === choice);
    const [was] = olds;
    if (was !== undefined && olds.length === 1 && was !== from.choices[0]) {
      return { value: choice, back: was };
    }
  }
  return undefined;
}

function placeOf({ entity, field }: Moved): { table: string; column: string } {
  if (field.type.kind !== "many") return { table: tableOf(entity.name), column: columnOf(field) };
  const link = linkOf(entity, field as never);
  return { table: link.table, column: link.to };
}

/** The fields that have the values of another one, or of the same one: pairs of them. */
function movesOf(before: Model, after: Model): Moved[] {
  const pairs = after.entities.flatMap((entity) => {
    const former = formerOf(entity, after.entities, before.entities);
    return former ? [{ entity, former }] : [];
  });
  const now = new Map(pairs.map(({ entity, former }) => [former.name, entity.name]));
  return pairs.flatMap(({ entity, former }) =>
    entity.fields.flatMap((field) => {
      const old = formerOf(field, entity.fields, former.fields);
      return old ? [{ entity, former, field, old, now }] : [];
    }),
  );
}

interface Named {
  name: string;
  was?: string;
}

/** What something was: the one that `was` names; else the one of the same name, unless that is another's now. */
function formerOf<One extends Named>(each: Named, all: readonly Named[], old: readonly One[]) {
  const named = (name: string) => old.find((other) => other.name === name);
  if (each.was !== undefined && named(each.was)) return named(each.was);
  return all.some((other) => other !== each && other.was === each.name)
    ? undefined
    : named(each.name);
}

/** What a choice is called now; undefined where it is gone. */
function choiceAfter(choice: string, type: FieldType): string | undefined {
  if (type.kind !== "choice") return undefined;
  const [now] = Object.entries(type.formerly ?? {}).find(([, was]) => was === choice) ?? [];
  return now ?? type.choices.find((each) => each === choice);
}

interface Place {
  id: number;
  row: Record<string, Cell>;
  content: Content;
  zone: string;
}

function cellsOf(move: Moved, place: Place): (Cell | string)[] | undefined {
  const { field, old } = move;
  const [from, to] = [old.type, field.type];
  if (from.kind === "many" || to.kind === "many") return linksOf(move, place);
  const value = place.row[columnOf(old)] ?? null;
  const without = emptyCells(field);
  if (value === null) return without;
  if (from.kind === "one" || to.kind === "one") {
    return from.kind === to.kind && isSameTarget(move) ? [value] : undefined;
  }
  const made = converted(value, from, to, place.zone);
  if (made === undefined) return undefined;
  if (made === null) return without;
  const narrowed = JSON.stringify(boundsOf(from)) !== JSON.stringify(boundsOf(to));
  return narrowed || from.kind !== to.kind ? [made, ...without] : [made];
}

/** What a field may have where it has no value. */
function emptyCells(field: Field): Cell[] {
  const given = [field.fill, field.default].flatMap((each) =>
    each && "value" in each ? [each.value] : [],
  );
  const cells = given.map((value) => (typeof value === "boolean" ? Number(value) : value));
  return field.type.kind === "boolean" ? [0, ...cells] : [null, ...cells];
}

function boundsOf(type: FieldType): unknown {
  const { min, max, places } = type as { min?: unknown; max?: unknown; places?: unknown };
  return [min, max, places];
}

/** The other side of links, in order, as text: of one and of many alike. */
function linksOf(move: Moved, { id, row, content }: Place): string[] | undefined {
  const { field, old, former } = move;
  if (field.type.kind !== "many" || !isSameTarget(move)) return undefined;
  if (old.type.kind === "many") {
    const { table } = linkOf(former, old as never);
    return [linkText(content.links.get(table)?.get(id))];
  }
  const one = row[columnOf(old)] ?? null;
  return [linkText(one === null ? [] : [Number(one)])];
}

/** Links of a row in one text. */
export function linkText(targets: readonly number[] = []): string {
  return targets.toSorted((a, b) => a - b).join();
}

/** Whether both fields refer to the same entity, whatever it is called. */
function isSameTarget({ old, field, now }: Moved): boolean {
  const [from, to] = [old.type, field.type].map((type) => ("entity" in type ? type.entity : ""));
  return from !== undefined && from !== "" && now.get(from) === to;
}

/** A colour is a text to a database, of seven characters; formats are what the application checks. */
const texts = new Set(["text", "long text", "email", "url", "phone", "color"]);
const numbers = new Set(["integer", "decimal", "money", "percent"]);

/** A value as another type has it: null where it has none like it, undefined where that isn't worked out here. */
function converted(value: Cell, from: FieldType, to: FieldType, zone: string): Cell | undefined {
  if (from.kind === "choice" && to.kind === "choice") {
    return choiceAfter(String(value), to) ?? null;
  }
  if (to.kind === "choice" || from.kind === "choice") return undefined;
  if (texts.has(to.kind)) return asText(value, from, to);
  if (texts.has(from.kind)) return from.kind === to.kind ? value : undefined;
  if (numbers.has(from.kind) && numbers.has(to.kind)) {
    return roundedTo(Number(value), to.kind === "integer" ? 0 : (to as { places: number }).places);
  }
  if (from.kind === to.kind) return value;
  if (from.kind === "date" && to.kind === "datetime") return firstMoment(String(value), zone);
  if (from.kind === "datetime" && (to.kind === "date" || to.kind === "time")) {
    const [day, clock] = shownBy(new Date(String(value)), zone);
    return to.kind === "date" ? day : clock;
  }
  if (from.kind === "boolean" && numbers.has(to.kind)) return Number(value);
  if (numbers.has(from.kind) && to.kind === "boolean") {
    return value === 0 || value === 1 ? value : null;
  }
  return null;
}

function asText(value: Cell, from: FieldType, to: FieldType): Cell | undefined {
  const text = from.kind === "boolean" ? (value ? "yes" : "no") : String(value);
  const usual = { "long text": Number.POSITIVE_INFINITY, color: 7, url: 2000 } as Record<
    string,
    number
  >;
  const { max = usual[to.kind] ?? 255 } = to as { max?: number };
  return [...text].slice(0, max).join("").trim();
}

/** Half away from zero, by the digits that people see. */
function roundedTo(value: number, places: number): number {
  const [whole = "0", rest = ""] = Math.abs(value).toFixed(9).split(".");
  const digits = BigInt(whole + rest.slice(0, places).padEnd(places, "0"));
  const up = (rest[places] ?? "0") >= "5" ? 1n : 0n;
  return (Math.sign(value) * Number(digits + up)) / 10 ** places;
}

/** Day and time as a clock in a zone shows them. */
function shownBy(moment: Date, timeZone: string): [day: string, clock: string] {
  const shown = new Intl.DateTimeFormat("sv-SE", {
    timeZone,
    dateStyle: "short",
    timeStyle: "short",
  }).format(moment);
  return shown.split(" ") as [string, string];
}

/** The first moment of a day in a zone, looked for minute by minute around midnight by UTC. */
function firstMoment(day: string, zone: string): string {
  const midnight = Date.parse(`${day}T00:00:00Z`);
  for (let minutes = -15 * 60; minutes < 15 * 60; minutes += 15) {
    const moment = new Date(midnight + minutes * 60_000);
    if (shownBy(moment, zone)[0] === day) return moment.toISOString().replace(".000", "");
  }
  throw new Error(`${day} doesn't begin in ${zone}`);
}
