import { isMap, isScalar, parseDocument, stringify } from "yaml";
import { Places } from "../model/diagnostics.ts";
import type { Reading } from "../model/read.ts";
import { readModel } from "../model/read.ts";
import { pluralIn } from "../naming/plurals.ts";
import { labelOf, pluralOf } from "../naming/words.ts";
import { folded } from "./cells.ts";
import type { FieldPlan, ImportPlan, SheetPlan, SplitPlan } from "./plan.ts";

/** The model that a plan gives, and what is wrong with it, told by the plan's own parts. */
export interface PlannedModel {
  text: string;
  reading: Reading;
  /** For each error its message, its help, and the path in the plan. */
  errors: { message: string; help?: string; path: (string | number)[] }[];
}

type Line = { text: string; path?: (string | number)[] };

/** Writes the model of a plan; with a model that is there, new entities are added at the end of it. */
export function planModel(plan: ImportPlan, existing?: string): PlannedModel {
  const known = existing === undefined ? new Set<string>() : entityNames(existing);
  const entities = plannedEntities(plan).filter(({ name }) => !known.has(name));
  const lines = entities.flatMap(entityLines);
  const { before, after, indent } = existing === undefined ? startOf(plan) : frameOf(existing);
  const body = lines.map(({ text }) => (text ? indent + text : "")).join("\n");
  const text =
    lines.length === 0 && existing !== undefined ? existing : `${before}${body}\n${after}`;
  const reading = readModel(text);
  const places = new Places(text);
  const firstLine = before.split("\n").length;
  const errors = reading.diagnostics
    .filter(({ severity }) => severity === "error")
    .map(({ message, help, at }) => {
      const number = places.place(at.start).line - firstLine;
      const path = lines.slice(0, number + 1).findLast((line) => line.path)?.path ?? ["sheets"];
      return { message, ...(help && { help }), path };
    });
  return { text, reading, errors };
}

interface PlannedEntity {
  name: string;
  plural?: string | undefined;
  title?: string | undefined;
  /** Fields that no two records have alike. */
  key?: readonly string[] | undefined;
  fields: { name: string; is: string; path: (string | number)[] }[];
  path: (string | number)[];
}

/** The entities of a plan, those split off a sheet before it. Several sheets may make one. */
export function plannedEntities(plan: ImportPlan): PlannedEntity[] {
  const entities = new Map<string, PlannedEntity>();
  plan.sheets.forEach((sheet, index) => {
    const path = ["sheets", index];
    for (const split of doneSplits(sheet))
      addEntity(
        entities,
        splitEntity(sheet, split, {
          language: plan.app.language,
          path: [...path, "split", split.entity],
        }),
      );
    addEntity(entities, {
      name: sheet.entity,
      plural: sheet.plural,
      title: sheet.title,
      key: sheet.key,
      fields: sheet.fields
        .filter(({ name }) => !doneSplits(sheet).some((split) => split.with.includes(name)))
        .map((field) => ({
          name: field.name,
          is: referenceTo(sheet, field),
          path: [...path, "fields", field.name, "is"],
        })),
      path: [...path, "entity"],
    });
  });
  return [...entities.values()];
}

/** A plan as its splits leave it: without fields that are there for others, and with keys of what is left. */
export function afterSplits(plan: ImportPlan): ImportPlan {
  return { ...plan, sheets: plan.sheets.map(sheetAfterSplits) };
}

function sheetAfterSplits(sheet: SheetPlan): SheetPlan {
  const { key, ...rest } = sheet;
  const splits = doneSplits(sheet);
  const fields = takenFields(sheet);
  const idle = sheet.fields.filter((field) => !fields.includes(field));
  // A field that moves to the other entity is replaced by the reference to it.
  const left = new Set(
    key?.map((name) => splits.find((split) => split.with.includes(name))?.by ?? name),
  );
  return {
    ...rest,
    ...(left.size > 1 && { key: [...left] }),
    fields,
    leave: [...sheet.leave, ...idle.map(({ column }) => column)],
  };
}

/** The fields of a sheet, without those that are there for a split which isn't done. */
export function takenFields(sheet: SheetPlan): FieldPlan[] {
  const made = (sheet.joined ?? []).flatMap((each) =>
    each.isForSplit ? [folded(each.title)] : [],
  );
  const used = new Set(doneSplits(sheet).map(({ by }) => by));
  return sheet.fields.filter(
    ({ name, column }) => !made.includes(folded(column)) || used.has(name),
  );
}

/** The splits of a sheet that were told to be done. */
export function doneSplits(sheet: SheetPlan): SplitPlan[] {
  return sheet.splits.filter((split) => split.do);
}

/** The name of the unique field in the entity that is split off: its records have a number, or a name. */
export function splitKey(sheet: SheetPlan, split: SplitPlan): string {
  const by = sheet.fields.find(({ name }) => name === split.by);
  const key = /^integer\b/.test(by?.is ?? "") ? "number" : "name";
  return split.with.includes(key) ? `own_${key}` : key;
}

function splitEntity(
  sheet: SheetPlan,
  split: SplitPlan,
  { language, path }: { language: string; path: (string | number)[] },
): PlannedEntity {
  const label = labelOf(split.entity);
  const plural = pluralIn(language, label);
  const along = sheet.fields.filter(({ name }) => split.with.includes(name));
  const by = sheet.fields.find(({ name }) => name === split.by);
  const type = /^(text|integer)( \d*\.\.\d*)?/.exec(by?.is ?? "")?.[0] ?? "text";
  const key = splitKey(sheet, split);
  return {
    name: split.entity,
    ...(plural !== pluralOf(label) && { plural }),
    title: `{${key}}`,
    fields: [
      { name: key, is: `${type}, required, unique`, path },
      ...along.map((field) => ({
        name: field.name,
        is: alongDefinition(field.is ?? "text"),
        path,
      })),
    ],
    path,
  };
}

function referenceTo(sheet: SheetPlan, field: FieldPlan): string {
  const split = doneSplits(sheet).find(({ by }) => by === field.name);
  if (!split) return field.is ?? "text";
  if (split.parts) return `part of ${split.entity}`;
  return `${split.list === undefined ? "one" : "many"} ${split.entity}${/(^|, )required(,|$)/.test(field.is ?? "") ? ", required" : ""}`;
}

/** What a field is that is deleted with a split: the words of few records are no choice any more. */
function alongDefinition(definition: string): string {
  const type = /^choice /.test(definition) ? "text" : definition;
  return type.replace(/, (required|unique)(?=,|$)/g, "");
}

function addEntity(entities: Map<string, PlannedEntity>, entity: PlannedEntity): void {
  const known = entities.get(entity.name);
  if (!known) {
    entities.set(entity.name, entity);
    return;
  }
  const names = new Set(known.fields.map(({ name }) => name));
  known.fields.push(...entity.fields.filter(({ name }) => !names.has(name)));
}

function entityLines({ name, plural, title, key, fields, path }: PlannedEntity): Line[] {
  return [
    { text: `${name}:`, path },
    ...(plural === undefined ? [] : [{ text: `  plural: ${line(plural)}` }]),
    ...(title === undefined ? [] : [{ text: `  title: ${JSON.stringify(title)}` }]),
    ...(key === undefined
      ? []
      : [{ text: `  unique: [${key.map(line).join(", ")}]`, path: [...path.slice(0, 2), "key"] }]),
    { text: "  fields:" },
    ...fields.map((field) => ({
      text: `    ${line(field.name)}: ${line(field.is)}`,
      path: field.path,
    })),
    { text: "" },
  ];
}

function line(text: string): string {
  return stringify(text, { lineWidth: 0 }).trimEnd();
}

function startOf({ app }: ImportPlan) {
  const settings = Object.entries({ ...app, database: "sqlite" }).map(
    ([key, value]) => `  ${key}: ${line(value)}`,
  );
  const before = [
    "# yaml-language-server: $schema=.levadura/model.schema.json",
    "levadura: 1",
    "app:",
    ...settings,
    "",
    "entities:",
    "",
  ].join("\n");
  return { before, after: "", indent: "  " };
}

function entityNames(model: string): Set<string> {
  return new Set(readModel(model).model?.entities.map(({ name }) => name));
}

/** The text of a model before and after the place where entities are added to it. */
function frameOf(model: string) {
  const entities = parseDocument(model).get("entities", true);
  const [first] = isMap(entities) ? entities.items : [];
  const end = isMap(entities) ? (entities.range?.[1] ?? model.length) : model.length;
  const start = isScalar(first?.key) ? (first.key.range?.[0] ?? 0) : 0;
  const indent = model.slice(model.lastIndexOf("\n", start - 1) + 1, start);
  const head = model.slice(0, end).trimEnd();
  return {
    before: `${head}\n\n`,
    after: model.slice(end).replace(/^\n+/, ""),
    indent: /^ +$/.test(indent) ? indent : "  ",
  };
}
