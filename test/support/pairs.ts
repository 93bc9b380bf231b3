import { withChecks } from "../../src/core/formula/row-checks.ts";
import type { Model } from "../../src/core/model/model.ts";
import { readModel } from "../../src/core/model/read.ts";

/** A model as a few pieces that can be changed at random. */
interface Sketch {
  timezone: string;
  entities: SketchEntity[];
}

interface SketchEntity {
  name: string;
  /** The field that a rule is about, and another one. */
  ruled: [string, string];
  was?: string;
  fields: SketchField[];
}

interface SketchField {
  name: string;
  type: string;
  options: string[];
}

/** Numbers that are the same for the same seed. */
export class Chance {
  #state: number;

  constructor(seed: number) {
    this.#state = (seed + 1) * 2_654_435_769;
  }

  below(limit: number): number {
    this.#state = (this.#state + 0x6d2b79f5) | 0;
    let value = Math.imul(this.#state ^ (this.#state >>> 15), 1 | this.#state);
    value = (value + Math.imul(value ^ (value >>> 7), 61 | value)) ^ value;
    return ((value ^ (value >>> 14)) >>> 0) % limit;
  }

  of<Value>(values: readonly Value[]): Value {
    return values[this.below(values.length)] as Value;
  }

  happens(percent: number): boolean {
    return this.below(100) < percent;
  }
}

const entityNames = ["Apiary", "Hive", "Keeper", "Order", "Queen", "Select", "Año"];
const fieldNames = [
  "code",
  "town",
  "group",
  "from",
  "weight",
  "order",
  "status",
  "día",
  "mark",
  "place",
];
const scalars = [
  "text",
  "text ..40",
  "text 2..",
  "text ..900",
  "long text",
  "integer",
  "integer -5..500",
  "decimal",
  "decimal 0.., places 1",
  "money",
  "boolean",
  "date",
  "date ..today",
  "time",
  "datetime",
  "duration",
  "email",
  "color",
  "choice small | big | huge",
  "choice big | tiny | it's",
];

const timezones = [
  "UTC",
  "America/New_York",
  "Europe/Madrid",
  "Asia/Kolkata",
  "Pacific/Kiritimati",
];

/** What becomes of the choices of `small | big | huge`: exchanged, passed on in a circle, merged. */
const otherChoices = [
  "choice small was big | big was small | huge",
  "choice big was small | small was huge | huge was big",
  "choice big was small | huge",
  "choice big was small | tiny was big | huge",
];

function field(chance: Chance, name: string, entities: readonly string[]): SketchField {
  const type = chance.happens(30)
    ? `${chance.of(["one", "one", "many"])} ${chance.of(entities)}`
    : chance.of(scalars);
  return { name, type, options: options(chance, type) };
}

function options(chance: Chance, type: string): string[] {
  const found: string[] = [];
  const fills: Record<string, string> = {
    text: "abc",
    integer: "7",
    date: "2020-05-03",
    choice: "big",
    boolean: "yes",
  };
  const kind = type.split(" ")[0] ?? "";
  if (kind === "many" || /^one/.test(type)) return found;
  if (chance.happens(20) && fills[kind] && !type.includes("it's")) {
    found.push("required", `fill ${fills[kind]}`);
  }
  if (chance.happens(15) && fills[kind]) found.push(`default ${fills[kind]}`);
  if (chance.happens(12) && /^(text|integer$|email)/.test(type)) found.push("unique");
  return found;
}

function sketch(chance: Chance): Sketch {
  const names = [...new Set([0, 1, 2].map(() => chance.of(entityNames)))];
  return {
    timezone: chance.of(timezones),
    entities: names.map((name) => ({
      name,
      ruled: [chance.of(fieldNames), chance.of(fieldNames)],
      fields: [
        { name: "name", type: "text", options: chance.happens(40) ? ["unique"] : [] },
        ...[...new Set([0, 1, 2, 3].map(() => chance.of(fieldNames)))].map((each) =>
          field(chance, each, names),
        ),
      ],
    })),
  };
}

/** The model after some changes at random: with former names, so that data moves along. */
function changed(before: Sketch, chance: Chance): Sketch {
  const after: Sketch = structuredClone(before);
  const rounds = 1 + chance.below(4);
  for (let round = 0; round < rounds; round++) {
    const names = after.entities.map(({ name }) => name);
    const entity = chance.of(after.entities);
    const each = chance.of(entity.fields);
    const unused = fieldNames.filter((name) => entity.fields.every((other) => other.name !== name));
    if (chance.happens(25)) entity.ruled = [chance.of(fieldNames), chance.of(fieldNames)];
    switch (chance.below(16)) {
      case 0:
        if (unused[0]) entity.fields.push(field(chance, chance.of(unused), names));
        break;
      case 1:
        if (entity.fields.length > 1 && each.name !== "name") {
          entity.fields = entity.fields.filter((other) => other !== each);
        }
        break;
      case 2:
        if (
          each.name !== "name" &&
          unused[0] &&
          !each.options.some((word) => word.startsWith("was"))
        ) {
          each.options.push(`was ${each.name}`);
          each.name = chance.of(unused);
        }
        break;
      case 3: {
        const name = entityNames.find((candidate) => !names.includes(candidate));
        if (!name || entity.was) break;
        rename(after, entity.name, name);
        entity.was = entity.name;
        entity.name = name;
        break;
      }
      case 4: {
        const name = entityNames.find((candidate) => !names.includes(candidate));
        if (name) {
          after.entities.push({
            name,
            ruled: ["code", "code"],
            fields: [{ name: "name", type: "text", options: [] }],
          });
        }
        break;
      }
      case 5:
        if (after.entities.length > 1) {
          after.entities = after.entities.filter((other) => other !== entity);
          for (const other of after.entities) {
            other.fields = other.fields.filter(({ type }) => !type.endsWith(` ${entity.name}`));
          }
        }
        break;
      case 6:
        if (each.name !== "name") {
          each.type = chance.of(scalars);
          each.options = [...formerly(each), ...options(chance, each.type)];
        }
        break;
      case 7:
        if (each.name !== "name") {
          each.type = `${chance.of(["one", "many"])} ${chance.of(names)}`;
          each.options = formerly(each);
        }
        break;
      case 8:
        if (/^choice small/.test(each.type)) each.type = "choice small | large was big | new";
        else if (/^choice big/.test(each.type)) each.type = "choice tiny | big | größer";
        break;
      case 9:
        if (each.options.includes("unique")) {
          each.options = each.options.filter((word) => word !== "unique");
        } else if (/^(text|integer$|email)/.test(each.type)) each.options.push("unique");
        break;
      case 10:
        if (/^(one|many) /.test(each.type)) {
          const [kind, target] = each.type.split(" ");
          each.type = chance.happens(50) ? "text" : `${kind === "one" ? "many" : "one"} ${target}`;
          each.options = formerly(each);
        } else if (/^text/.test(each.type) && each.name !== "name") {
          each.type = `one ${chance.of(names)}`;
          each.options = formerly(each);
        }
        break;
      case 11:
      case 12:
        exchangeFields(before, entity, chance);
        break;
      case 13:
        exchangeEntities(before, after, chance);
        break;
      case 14:
        if (
          each.type === "choice small | big | huge" &&
          fromBefore(before, entity).includes(each)
        ) {
          each.type = chance.of(otherChoices);
        }
        break;
      case 15:
        if (/^date/.test(each.type)) {
          each.type = each.type === "datetime" ? chance.of(["date", "time"]) : "datetime";
          each.options = formerly(each);
        }
    }
  }
  return after;
}

/** The fields of an entity, other than `name`, that had their names and types before already. */
function fromBefore(before: Sketch, entity: SketchEntity): SketchField[] {
  const former = before.entities.find(({ name }) => name === (entity.was ?? entity.name));
  return entity.fields.filter(
    ({ name, type, options: words }) =>
      name !== "name" &&
      !words.some((word) => word.startsWith("was")) &&
      entity.fields.every((other) => !other.options.includes(`was ${name}`)) &&
      former?.fields.some((old) => old.name === name && old.type === type),
  );
}

/** Lets two or three fields pass their names on, each to the next one. */
function exchangeFields(before: Sketch, entity: SketchEntity, chance: Chance): void {
  const circle = fromBefore(before, entity).slice(0, 2 + chance.below(2));
  if (circle.length < 2) return;
  const names = circle.map(({ name }) => name);
  for (const [at, each] of circle.entries()) {
    each.options.push(`was ${each.name}`);
    each.name = names[(at + 1) % names.length] as string;
  }
}

/** Lets two entities exchange their names. */
function exchangeEntities(before: Sketch, after: Sketch, chance: Chance): void {
  const [one, other] = after.entities.filter(
    ({ name, was }) =>
      !was &&
      before.entities.some((old) => old.name === name) &&
      after.entities.every((each) => each.was !== name),
  );
  if (!one || !other || chance.happens(50)) return;
  const names = [one.name, other.name] as const;
  rename(after, names[0], "Nothing");
  rename(after, names[1], names[0]);
  rename(after, "Nothing", names[1]);
  [one.name, other.name] = [names[1], names[0]];
  [one.was, other.was] = names;
}

function formerly({ options: words }: SketchField): string[] {
  return words.filter((word) => word.startsWith("was"));
}

function rename({ entities }: Sketch, from: string, to: string): void {
  for (const { fields } of entities) {
    for (const each of fields) each.type = each.type.replace(new RegExp(` ${from}$`), ` ${to}`);
  }
}

/** What a field is held to, by its type. */
function ruleOf({ name, type, options: words }: SketchField): string[] {
  const least = words.some((word) => word.startsWith("was")) ? 20 : 10;
  if (/^(integer|decimal|money)/.test(type))
    return [`{${name}} is empty or {${name}} * 2 > ${least}`];
  if (/^date( |$)/.test(type)) return [`{${name}} is empty or year({${name}}) > 2000`];
  const [, choice] = /^choice (\w+)/.exec(type) ?? [];
  // Records that a migration makes have the default.
  const isDefault = words.includes(`default ${choice}`);
  if (choice && !isDefault) return [`{${name}} is empty or {${name}} <> '${choice}'`];
  if (/^one/.test(type)) return [`{${name}} is not empty or created_at > updated_at - 1 days`];
  return [];
}

/** The rules of an entity as it is: they come and go, and follow the names and the types of their fields. */
function rules({ ruled: [first, second], fields }: SketchEntity): string {
  const found = fields.filter(({ name }) => name === first || name === second).flatMap(ruleOf);
  if (found.length === 0) return "";
  const lines = found.map((rule, at) => `\n      - Rule ${at}: "= ${rule}"`).join("");
  return `\n    rules:${lines}`;
}

function print({ timezone, entities }: Sketch): string {
  const lines = entities.map((entity) => {
    const { name, was, fields } = entity;
    const own = fields.map(
      ({ name: field, type, options: words }) =>
        `      ${field}: '${[type, ...words].join(", ").replaceAll("'", "''")}'`,
    );
    return `  ${name}:\n${was ? `    was: ${was}\n` : ""}    fields:\n${own.join("\n")}${rules(entity)}`;
  });
  return `levadura: 1\napp: {timezone: ${timezone}}\nentities:\n${lines.join("\n")}\n`;
}

/** Two models, the second of them the first after some changes; the same for the same seed. */
export function pairOfModels(seed: number): { texts: [string, string]; models: [Model, Model] } {
  for (let attempt = 0; ; attempt++) {
    const chance = new Chance(seed * 1000 + attempt);
    const before = sketch(chance);
    const after = changed(before, chance);
    const texts: [string, string] = [print(before), print(after)];
    const [one, other] = texts.map((text) => readModel(text).model);
    if (one && other && texts[0] !== texts[1]) {
      return { texts, models: [withChecks(one), withChecks(other)] };
    }
  }
}
