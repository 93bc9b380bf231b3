import { type Definition, type OptionName, printDefinition, type Word } from "../model/notation.ts";
import { isInvisible, readable } from "../naming/characters.ts";
import { labelOf } from "../naming/words.ts";
import type { Draft, DraftColumn } from "./draft.ts";
import type { ColumnKind } from "./finding.ts";
import type { FieldPlan } from "./plan.ts";
import { isIdentifying, isKeyColumn } from "./relationships.ts";
import { untaken } from "./titles.ts";
import { typeBit } from "./type-detection.ts";

/** The definition of a field. */
export function define(
  column: DraftColumn,
  rows: number,
): { definition: Definition; unique: boolean } {
  const { finding, profile, title, link } = column;
  const options = new Map<OptionName, Word>();
  const uniqueAlready = isProposedUnique(column, rows);
  const required = isRequired(column, rows);
  const definition: Definition = { type: word(finding.kind), options };
  if (link) {
    definition.type = word(link.kind);
    definition.entity = word(link.key.entity);
  } else if (finding.kind === "choice") {
    definition.choices = (finding.choices ?? []).map(word);
  } else Object.assign(definition, rangeOf(column, uniqueAlready));
  if (required) options.set("required", word("yes"));
  // One to one, where no value is repeated and the other column has hardly more values.
  const onlyOne =
    link?.kind === "one" &&
    profile.distinct.repeated === 0 &&
    profile.filled >= 20 &&
    profile.filled * 2 >= link.key.profile.distinct.size &&
    column.at > 0;
  const unique = link ? onlyOne : uniqueAlready;
  if (unique) options.set("unique", word("yes"));
  if (!link && finding.unit) options.set("unit", word(finding.unit));
  const places = finding.places ?? 2;
  if (
    !link &&
    ["decimal", "money", "percent"].includes(finding.kind) &&
    places !== 2 &&
    !(finding.kind === "money" && places < 2)
  ) {
    options.set("places", word(places));
  }
  const label =
    title.label ?? (column.name !== title.name ? readable(column.profile.header) : undefined);
  if (label && !isInvisible(label) && label.toLowerCase() !== labelOf(column.name).toLowerCase())
    options.set("label", word(label));
  return { definition, unique };
}

/** Amounts in several currencies as two fields of one column. */
export function inTwoFields(
  column: DraftColumn,
  { reference, rows, taken }: { reference: string; rows: number; taken: ReadonlySet<string> },
): [FieldPlan, FieldPlan] {
  const { codes = [], isEverywhere = false } = column.finding.currencies ?? {};
  const amount: FieldPlan = {
    name: column.name,
    column: reference,
    is: printDefinition(define(column, rows).definition),
    ...column.finding.hints,
    part: "amount",
  };
  const needed = isEverywhere && isRequired(column, rows) ? ", required" : "";
  const currency: FieldPlan = {
    name: untaken(`${column.name.slice(0, 36)}_currency`, taken),
    column: reference,
    is: `choice ${codes.join(" | ")}${needed}`,
    part: "currency",
  };
  return [amount, currency];
}

/**
 * Fields that tell the rows apart together, where no single one does: what a row is about, when it was, which step of a
 * series it is.
 */
export function keyOf({ sheet, columns }: Draft): string[] | undefined {
  const { rows, copies, values } = sheet.profile;
  if (rows < 3 || columns.some((column) => isProposedUnique(column, rows))) return undefined;
  const isTelling = (column: DraftColumn) =>
    (isRequired(column, rows) || column.link?.kind === "part of") &&
    (column.link ? column.link.kind !== "many" : telling.has(column.finding.kind));
  const step = sheet.profile.layout.reshaping?.unpivot?.title;
  const forSplit = (sheet.shape.plan.joined ?? []).filter(({ isForSplit }) => isForSplit);
  const subjects = columns.filter(
    (column) =>
      !forSplit.some(({ title }) => title === column.profile.header) &&
      (isTelling(column) || (column.profile.column === step && isRequired(column, rows))),
  );
  const about = subjects.filter(({ link, at }) => link || at === 0);
  const found = values.keyAmong(
    subjects.map(({ at }) => at),
    copies,
  );
  if (!found || !about.some(({ at }) => found.includes(at))) return undefined;
  return found.flatMap((at) => columns[at]?.name ?? []);
}

/** What the records of a sheet are called, as a title of the model. */
export function titleOf({ sheet, columns }: Draft): string | undefined {
  const key = titleColumn(columns, sheet.profile.rows);
  if (key) return `{${key.name}}`;
  // A step of a series is called by what it is a part of, and by its title.
  const unpivot = sheet.profile.layout.reshaping?.unpivot;
  const step = columns.find(({ profile }) => profile.column === unpivot?.title);
  const owner = columns.find(({ link }) => link) ?? columns.find((column) => column !== step);
  return step && owner && owner.at < step.at ? `{${owner.name}}, {${step.name}}` : undefined;
}

/** The kinds of values that say what a row is about, or when it was. */
const telling: ReadonlySet<ColumnKind> = new Set(["text", "date", "datetime", "time"]);

/** The column whose values are what its records are called. */
function titleColumn(columns: readonly DraftColumn[], rows: number): DraftColumn | undefined {
  const unique = columns.filter(
    (column) => column.profile.blanks === 0 && isProposedUnique(column, rows) && !column.link,
  );
  const named = unique.find(isWording);
  if (named || unique.length === 0) return named;
  // Numbers are unique, but people know records by their names.
  return columns.slice(0, 4).find((column) => isWording(column) && isNaming(column)) ?? unique[0];
}

/** Whether the values are words, not numbers. */
function isWording({ finding, profile }: DraftColumn): boolean {
  const digits = typeBit.digits | typeBit.point | typeBit.comma;
  return finding.kind === "text" && profile.groups.some(({ bits }) => (bits & digits) === 0);
}

function isNaming({ profile, link }: DraftColumn): boolean {
  const { blanks, distinct, longest } = profile;
  return !link && blanks === 0 && distinct.repeated === 0 && longest <= 60;
}

/** Unique is proposed for what others refer to, and for a column that is called a code or is the first one. */
function isProposedUnique(column: DraftColumn, rows: number): boolean {
  if (!isKeyColumn(column) || rows < 2) return false;
  if (column.isTarget) return true;
  if (column.finding.kind === "choice" || column.finding.kind === "long text") return false;
  return isIdentifying(column);
}

function word(text: string | number): Word {
  return { text: String(text), at: { start: 0, end: 0 } };
}

function isRequired(
  { finding, profile, link, isRequiredLink }: DraftColumn,
  rows: number,
): boolean {
  if (link) return isRequiredLink;
  const { kind, exceptions } = finding;
  const isMissing = profile.blanks + exceptions.count > 0;
  return !isMissing && rows > 1 && kind !== "boolean" && kind !== "long text";
}

/** Lengths with room to spare; numbers that can't be below zero. */
function rangeOf({ finding, profile }: DraftColumn, unique: boolean): { min?: Word; max?: Word } {
  if (finding.kind === "text") {
    const roomy = [40, 80, 160].find((length) => length >= profile.longest * 2);
    return roomy && (unique || profile.longest > 0) ? { max: word(roomy) } : {};
  }
  if (finding.files !== undefined) return { max: word(finding.files) };
  if (finding.kind === "percent" && finding.positive) return { min: word(0) };
  return finding.positive ? { min: word(0) } : {};
}
