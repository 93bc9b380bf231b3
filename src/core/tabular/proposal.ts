import { stringify } from "yaml";
import { nameHints } from "../fields/name-hints.ts";
import { type Field, isComputed, type Model } from "../model/model.ts";
import { printDefinition } from "../model/notation.ts";
import { isInvisible, readable } from "../naming/characters.ts";
import { pluralIn, singularIn } from "../naming/plurals.ts";
import { andList, capitalized, labelOf, pluralOf } from "../naming/words.ts";
import { blankSpellings, folded } from "./cells.ts";
import type { Draft, DraftColumn, ProfiledSheet } from "./draft.ts";
import { define, inTwoFields, keyOf, titleOf } from "./field-definitions.ts";
import type { ColumnKind, Evidence, Finding, InferenceContext } from "./finding.ts";
import { kindNamed } from "./header-words.ts";
import { inferColumn } from "./inference.ts";
import {
  entityOf,
  headingOf,
  hintQuestions,
  hintsFor,
  matchNotes,
  nameOf,
  renamedIn,
} from "./known-entity.ts";
import { languageOf } from "./languages.ts";
import { leftOutKinds, referenceTo } from "./layout.ts";
import { matchedFields } from "./matching.ts";
import { proposeSplits } from "./normalisation.ts";
import type {
  FieldPlan,
  ImportPlan,
  JoinedPlan,
  PlanNotes,
  SheetNotes,
  SheetPlan,
} from "./plan.ts";
import { aroundTable, fieldNotes } from "./plan-notes.ts";
import type { ColumnProfile } from "./profile.ts";
import { findLinks, linkName } from "./relationships.ts";
import { shapeWords } from "./shapes/words.ts";
import { calledByContent, thingNamed } from "./things.ts";
import {
  besideReferences,
  entityName,
  fieldTitle,
  saysNothing,
  sheetWords,
  type Title,
  unnamed,
} from "./titles.ts";

/** The target of the import. */
export interface Surroundings {
  app: ImportPlan["app"];
  /** This day, such as `2026-05-03`: by it years of two digits are understood. */
  today: string;
  /** The model that is there already. */
  model?: Model;
  /** The entity that was chosen for the sheet, in the model or new. */
  into?: string;
  /** Whether there is a file of a name, where the sheets are. */
  hasFile?: (name: string) => boolean;
}

/** Works out what the sheets hold: entities, fields, relationships; and says why. */
export function proposePlan(
  sheets: readonly ProfiledSheet[],
  { app, today, model, into, hasFile }: Surroundings,
): { plan: ImportPlan; notes: PlanNotes } {
  const language = model
    ? app.language
    : (languageOf(
        sheets.flatMap(({ profile }) => profile.columns),
        sheets.map((sheet) => sheetWords(nameOf(sheet), sheet.file)),
      ) ?? app.language);
  const drafts = draftSheets(sheets, {
    language,
    today,
    ...(model && { model }),
    ...(into && { into }),
    ...(hasFile && { hasFile }),
  });
  linkParts(drafts);
  const unlinked = drafts.flatMap(({ columns }) => columns.filter(({ link }) => !link));
  for (const link of findLinks(unlinked)) {
    const column = link.column as DraftColumn;
    column.link = link;
    (link.key as DraftColumn).isTarget = true;
  }
  settleRequired(drafts.flatMap(({ columns }) => columns));
  const currency =
    model?.app.currency ??
    drafts.flatMap(({ columns }) => columns).find(({ finding }) => finding.currency)?.finding
      .currency;
  for (const column of drafts.flatMap(({ columns }) => columns)) settleCurrency(column, currency);
  const entities = new Set([
    ...drafts.map(({ entity }) => entity),
    ...(model?.entities ?? []).map(({ name }) => name),
  ]);
  const made = drafts.map((draft) => planSheet(draft, { entities, language }));
  return {
    plan: {
      app: { ...app, language, ...(currency && !model && { currency }) },
      blank: [...blankSpellings],
      sheets: made.map(({ plan }) => plan),
    },
    notes: { sheets: made.map(({ notes }) => notes) },
  };
}

/** Parts refer to the records that they were taken out of. */
function linkParts(drafts: readonly Draft[]): void {
  for (const { sheet, columns } of drafts) {
    const { part } = sheet.shape;
    const owner = part && drafts.find((draft) => draft.sheet === part.of);
    const key = owner?.columns.find(({ profile }) => profile.column === part?.by);
    const column = columns.find(({ profile }) => profile.column === part?.by);
    if (!key || !column) continue;
    const strangers = { count: 0, misspelt: 0, examples: [] };
    column.link = { kind: "part of", column, key, matching: column.profile.filled, strangers };
    key.isTarget = true;
  }
}

/** Amounts in another currency than the application's are numbers with that unit. */
function settleCurrency(column: DraftColumn, currency: string | undefined): void {
  const { finding } = column;
  const other = finding.currency;
  if (other === undefined || other === currency) return;
  column.finding = { ...finding, kind: "decimal", unit: other };
}

/** References are required where every row has one, but never in a circle: no record could be the first. */
function settleRequired(columns: readonly DraftColumn[]): void {
  const leads = new Map<string, Set<string>>();
  const reaches = (from: string, to: string): boolean =>
    from === to || [...(leads.get(from) ?? [])].some((next) => reaches(next, to));
  for (const column of columns) {
    const { link, entity, profile } = column;
    if (link?.kind !== "one" || profile.blanks + link.strangers.count > 0) continue;
    const target = link.key.entity;
    if (reaches(target, entity)) continue;
    column.isRequiredLink = true;
    leads.set(entity, (leads.get(entity) ?? new Set()).add(target));
  }
}

function draftSheets(
  sheets: readonly ProfiledSheet[],
  { language, today, model, into, hasFile }: Omit<Surroundings, "app"> & { language: string },
): Draft[] {
  const names = (model?.entities ?? []).map(({ name }) => name);
  const taken = new Set<string>();
  const entities = new Map<ProfiledSheet, string>();
  const drafts = sheets.map((profiled, index): Draft => {
    const sheet = namedByContent(namedAfterOwner(profiled, entities), language);
    const { known, isByColumns } = entityOf(sheet, {
      into,
      language,
      entities: model?.entities ?? [],
    });
    const entity =
      known?.name ??
      into ??
      sameTable(sheet, sheets.slice(0, index), entities) ??
      entityName(nameOf(sheet), sheet.file, {
        taken: new Set([...taken, ...names]),
        language,
      });
    taken.add(entity);
    entities.set(profiled, entity);
    const fields = new Set<string>();
    const columns = sheet.profile.columns.map((profile, at): DraftColumn => {
      const title = fieldTitle(profile.header, profile.column, entity, fields);
      const finding = infer(profile, title, {
        today,
        hasFile,
        workbook: sheet.text === undefined,
      });
      if (profile.header === "")
        title.name = nameByContent(profile, finding, { at, taken: fields }) ?? title.name;
      // What is called by its number has a number, not a name.
      const numbered = title.name === "name" && finding.kind === "integer" && !fields.has("number");
      if (numbered) title.name = "number";
      fields.add(title.name);
      return {
        sheet: index,
        entity,
        at,
        name: title.name,
        profile,
        finding,
        title,
        copies: sheet.profile.copies,
        isTarget: false,
        isRequiredLink: false,
      };
    });
    const matched = known ? matchedFields(known, columns.map(headingOf)) : new Map();
    return { sheet, entity, known, isByColumns, matched, columns };
  });
  for (const draft of drafts) settleGuesses(draft, drafts, today);
  return drafts;
}

/** The entity of an earlier table on the same sheet with the same titles: the table goes on beside or below it. */
function sameTable(
  sheet: ProfiledSheet,
  before: readonly ProfiledSheet[],
  entities: ReadonlyMap<ProfiledSheet, string>,
): string | undefined {
  if (!sheet.shape.plan.area || sheet.shape.called !== undefined) return undefined;
  const titles = ({ profile }: ProfiledSheet) =>
    profile.columns.map(({ header }) => folded(header)).join("\n");
  const found = before.find(
    (other) =>
      other.file === sheet.file && other.sheet === sheet.sheet && titles(other) === titles(sheet),
  );
  return found && entities.get(found);
}

/** Parts that have no name of their own are called by what they are parts of, and by the series: `Hive month`. */
function namedAfterOwner(
  sheet: ProfiledSheet,
  entities: ReadonlyMap<ProfiledSheet, string>,
): ProfiledSheet {
  const { part, plan } = sheet.shape;
  const owner = part?.isNamedAfter && entities.get(part.of);
  if (!owner || !plan.unpivot) return sheet;
  const called = `${labelOf(owner)} ${plan.unpivot.title.toLowerCase()}`;
  return { ...sheet, shape: { ...sheet.shape, called } };
}

/** Where neither the sheet nor its file has a name that says something, what is in it does. */
function namedByContent(sheet: ProfiledSheet, language: string): ProfiledSheet {
  if (sheet.shape.called !== undefined || !saysNothing(sheet.sheet, sheet.file)) return sheet;
  const columns = sheet.profile.columns.map((profile) => ({
    name: fieldTitle(profile.header, profile.column, "", new Set()).name,
    profile,
  }));
  const called = calledByContent(columns, language);
  return called === undefined ? sheet : { ...sheet, shape: { ...sheet.shape, called } };
}

const namesByKind: Readonly<Partial<Record<ColumnKind, string>>> = {
  date: "date",
  datetime: "moment",
  time: "time",
  email: "email",
  phone: "phone",
  url: "link",
  money: "amount",
  percent: "share",
  color: "color",
  place: "place",
};

/** What a column without a header can be called; undefined where its values don't say. */
function nameByContent(
  profile: ColumnProfile,
  { kind }: Finding,
  { at, taken }: { at: number; taken: ReadonlySet<string> },
): string | undefined {
  const isFirst = at === 0 && kind === "text";
  const name = namesByKind[kind] ?? (isFirst ? "name" : thingNamed(profile));
  return name === undefined || taken.has(name) ? undefined : name;
}

type Around = Pick<InferenceContext, "today" | "workbook" | "dates" | "decimals" | "hasFile">;

function infer(profile: ColumnProfile, title: Title, around: Around): Finding {
  const named = nameHints.find(([pattern]) => pattern.test(title.name))?.[1];
  return inferColumn(profile, {
    named: named ?? kindNamed(title.name),
    name: title.name,
    unit: title.unit,
    ...around,
  });
}

/** What the columns that tell agree on: those of the sheet, else those of the file. */
function agreed<Value>(
  near: readonly (readonly DraftColumn[])[],
  of: (evidence: Evidence) => Value | undefined,
): Value | undefined {
  for (const columns of near) {
    const said = new Set(columns.flatMap(({ finding }) => of(finding.evidence) ?? []));
    if (said.size > 0) return said.size === 1 ? [...said][0] : undefined;
  }
  return undefined;
}

/** What a column doesn't tell is taken as in a column that does: of its own sheet, else of its file. */
function settleGuesses({ sheet, columns }: Draft, drafts: readonly Draft[], today: string): void {
  const file = drafts.filter((other) => other.sheet.file === sheet.file);
  const near = [columns, file.flatMap((other) => other.columns)];
  const dates = agreed(near, ({ dates }) => dates);
  const decimals = agreed(near, ({ decimals }) => decimals);
  for (const column of columns) {
    if (!column.finding.guess || column.finding.kind === "choice") continue;
    column.finding = infer(column.profile, column.title, {
      today,
      workbook: sheet.text === undefined,
      ...(dates && { dates }),
      ...(decimals && { decimals }),
    });
  }
}

function planSheet(
  draft: Draft,
  { entities, language }: { entities: Set<string>; language: string },
): { plan: SheetPlan; notes: SheetNotes } {
  const { sheet, entity, columns } = draft;
  const { profile } = sheet;
  nameColumns(columns);
  const titles = columns.map(({ profile: { column, header } }) => ({ column, header }));
  const fields: FieldPlan[] = [];
  const leave = [...sheet.shape.leave];
  const notes: SheetNotes = {
    rows: profile.rows,
    around: aroundTable(sheet),
    fields: new Map(),
    splits: new Map(),
  };
  const renamed = draft.known ? renamedIn(draft, draft.known) : new Map<number, Field>();
  // These name the fields by which rows become lines.
  const splits = draft.known ? [] : proposeSplits(draft, { entities, language }, notes);
  const { joined: made = [], ...shape } = sheet.shape.plan;
  const joined = made.filter(
    ({ title, isForSplit }) =>
      !isForSplit || splits.some(({ by }) => by === nameOfColumn(columns, title)),
  );
  for (const column of columns) {
    if (isIdleJoin(column, made, joined)) continue;
    const reference = referenceTo(column.profile.column, titles);
    const match = draft.matched.get(column.at);
    const field = match?.field;
    if (draft.known && (!field || isComputed(field))) {
      leave.push(reference);
      const old = renamed.get(column.at);
      const why = field
        ? "is computed by the model"
        : old
          ? `has no such field in the model, and ${old.name} has no column: if that is its old name, write \`${old.name}: { column: ${stringify(reference).trimEnd()} }\` in the plan`
          : "has no such field in the model; add it there to take it";
      notes.around.push(`column ${reference}: ${entity}${field ? `.${field.name}` : ""} ${why}`);
      continue;
    }
    if (field) {
      fields.push({ name: field.name, column: reference, ...hintsFor(column, field) });
      notes.fields.set(field.name, {
        why: `the field of the model, ${column.finding.why}`,
        ...(match?.isLike && {
          guess: `matched to ${entity}.${field.name}, because the names are similar`,
        }),
        distinct: column.profile.distinct.size,
        ...hintQuestions(column),
      });
      continue;
    }
    if (column.finding.currencies && !column.link) {
      const [amount, currency] = inTwoFields(column, {
        reference,
        rows: profile.rows,
        taken: new Set(columns.map(({ name }) => name)),
      });
      fields.push(amount, currency);
      notes.fields.set(amount.name, fieldNotes(column, false, draft));
      notes.fields.set(currency.name, {
        why: `the currency of ${amount.name}`,
        distinct: column.finding.currencies.codes.length,
      });
      continue;
    }
    const { definition, unique } = define(column, profile.rows);
    fields.push({
      name: column.name,
      column: reference,
      is: printDefinition(definition),
      ...(!column.link && column.finding.hints),
    });
    notes.fields.set(column.name, fieldNotes(column, unique, draft));
  }
  if (draft.known) notes.around.push(...matchNotes(draft, draft.known));
  else if (sheetWords(nameOf(sheet), sheet.file) === unnamed) {
    notes.around.push("nothing says what the rows are; --into NAME names them");
  }
  const title = titleOf(draft);
  const key = draft.known ? undefined : keyOf(draft);
  if (key) {
    notes.key = `${andList(key)} together identify a row: remove \`key\` if two rows may have the same values`;
  }
  const plural = pluralOfSheet(sheet, entity, language);
  // Where the records are what the sheet is called, its rows are their lines.
  const areLines = splits.some((split) => split.do && split.entity === entity);
  const words = `${labelOf(entity)} ${shapeWords(language).line}`;
  const taken = entities;
  const rowEntity = areLines ? entityName(words, sheet.file, { taken, language }) : entity;
  return {
    plan: {
      file: sheet.file,
      ...(sheet.sheet !== undefined && { sheet: sheet.sheet }),
      ...(sheet.text && { text: sheet.text }),
      ...shape,
      ...(joined.length > 0 && { joined }),
      entity: rowEntity,
      ...(!draft.known &&
        !areLines &&
        plural &&
        !isInvisible(plural) &&
        plural !== pluralOf(labelOf(entity)) && { plural }),
      ...(!draft.known && title !== undefined && { title }),
      header: profile.layout.header ?? null,
      rows: {
        first: profile.layout.firstRow,
        ...(profile.layout.lastRow !== undefined && { last: profile.layout.lastRow }),
      },
      without: [...leftOutKinds],
      ...(key && { key }),
      fields,
      leave,
      splits,
    },
    notes,
  };
}

function nameOfColumn(columns: readonly DraftColumn[], title: string): string | undefined {
  return columns.find(({ profile }) => profile.header === title)?.name;
}

/** Whether a column was made for a split that isn't proposed. */
function isIdleJoin(
  { profile }: DraftColumn,
  made: readonly JoinedPlan[],
  joined: readonly JoinedPlan[],
): boolean {
  const isIn = (all: readonly JoinedPlan[]) => all.some(({ title }) => title === profile.header);
  return isIn(made) && !isIn(joined);
}

/** What several records of a sheet are called: as the sheet, where that is a plural. */
function pluralOfSheet(of: ProfiledSheet, entity: string, language: string): string {
  if (of.shape.part?.isNamedAfter) return pluralIn(language, labelOf(entity));
  const sheet = nameOf(of);
  const said = capitalized(readable(sheetWords(sheet, of.file)));
  const isPlural = singularIn(language, said) !== said;
  // A second table of a sheet has a number, by which it differs from the first in the plural too.
  const isNumbered = [said, sheet ?? "", entity].some((name) => /\d/.test(name));
  if (isPlural && !isNumbered) return said;
  const named = sheet && folded(sheet) !== folded(entity) && !isNumbered;
  return language === "en" && named ? readable(sheet) : pluralIn(language, labelOf(entity));
}

/** Settles the names of a sheet's fields, now that it is known which of them refer. */
function nameColumns(columns: readonly DraftColumn[]): void {
  const names = new Set(columns.map(({ name }) => name));
  const rename = (column: DraftColumn, name: string) => {
    names.delete(column.name);
    column.name = name;
    names.add(name);
  };
  const referring = columns.filter(({ link }) => link);
  for (const column of referring) rename(column, linkName(column.name, names));
  const references = referring.map(({ name }) => name);
  for (const column of columns) {
    if (!column.link) rename(column, besideReferences(column.name, references, names));
  }
}
