import { type Entity, type Field, isComputed } from "../model/model.ts";
import { folded } from "./cells.ts";
import type { Draft, DraftColumn, ProfiledSheet } from "./draft.ts";
import type { Finding } from "./finding.ts";
import { sameMark } from "./marks.ts";
import { entityWithColumns, type Heading, renamedFields } from "./matching.ts";
import type { FieldNotes } from "./plan.ts";
import { questionsOf } from "./plan-notes.ts";
import { entityName, fieldTitle } from "./titles.ts";
import { unitFactor } from "./units.ts";

/** The entity of the model that a sheet is: the chosen one, the one that it is called, or the one that has its columns. */
export function entityOf(
  sheet: ProfiledSheet,
  {
    into,
    language,
    entities,
  }: { into: string | undefined; language: string; entities: readonly Entity[] },
): Pick<Draft, "known" | "isByColumns"> {
  if (into !== undefined) {
    return { known: entities.find(({ name }) => name === into), isByColumns: false };
  }
  const named = entities.find((entity) => isNamed(entity, sheet, language));
  if (named) return { known: named, isByColumns: false };
  const headings = sheet.profile.columns.map(({ header, column }) => ({
    header,
    name: fieldTitle(header, column, "", new Set()).name,
  }));
  const known = entityWithColumns(entities, headings);
  return { known, isByColumns: known !== undefined };
}

export function headingOf({ profile, title }: DraftColumn): Heading {
  return { header: profile.header, name: title.name };
}

/** What a sheet is called; undefined where only its file has a name. */
export function nameOf({ shape, sheet }: ProfiledSheet): string | undefined {
  return shape.called ?? sheet;
}

function isNamed(entity: Entity, sheet: ProfiledSheet, language: string): boolean {
  const called = nameOf(sheet);
  const said = folded(called ?? sheet.file.replace(/\.[^.]*$/, ""));
  const names = [entity.name, entity.label, entity.plural].map(folded);
  const name = entityName(called, sheet.file, { taken: new Set(), language });
  return names.includes(said) || folded(name) === folded(entity.name);
}

/** Questions about how the cells of a field of the model are read; its type is settled. */
export function hintQuestions(column: DraftColumn): Pick<FieldNotes, "questions" | "samples"> {
  const { questions = [], samples = [] } = questionsOf(column);
  const left = questions.filter(({ choices }) => choices.every(({ set }) => !set.type));
  return left.length > 0 ? { questions: left, samples } : {};
}

/** How a column is read for a field that is there: its numbers are converted to the unit of the field. */
export function hintsFor(
  { finding, profile }: DraftColumn,
  { unit = "" }: Field,
): Finding["hints"] {
  const { units: _, ...hints } = finding.hints;
  const found = [...profile.marks.keys()].flatMap((mark) => {
    const factor = sameMark(mark, unit) ? undefined : unitFactor(mark, unit);
    return factor === undefined ? [] : [[mark, factor] as const];
  });
  return { ...hints, ...(found.length > 0 && { units: Object.fromEntries(found) }) };
}

/** The fields that columns without one may be under another name. */
export function renamedIn({ columns, matched }: Draft, known: Entity): Map<number, Field> {
  const strangers = columns.filter(({ at }) => !matched.has(at));
  return renamedFields(
    withoutColumn(known, matched),
    strangers.map(({ at, finding, profile }) => ({
      at,
      kind: finding.kind,
      values: [...profile.distinct.values.keys()].slice(0, 50),
    })),
  );
}

function withoutColumn(known: Entity, matched: Draft["matched"]): Field[] {
  const there = new Set([...matched.values()].map(({ field }) => field));
  return known.fields.filter((field) => !isComputed(field) && !there.has(field));
}

/** Why a sheet is an entity of the model, and which fields it has no column for. */
export function matchNotes({ isByColumns, matched }: Draft, known: Entity): string[] {
  const missing = withoutColumn(known, matched);
  return [
    ...(isByColumns ? [`its columns match ${known.name}; --into NAME chooses another entity`] : []),
    ...(missing.length > 0
      ? [
          `no column for ${missing.map(({ name }) => name).join(", ")}, whose values stay as they are`,
        ]
      : []),
  ];
}
