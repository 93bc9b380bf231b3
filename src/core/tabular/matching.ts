import { editDistance } from "../../../kit/formula/nearest.ts";
import { type Entity, type Field, isComputed } from "../model/model.ts";
import { words } from "../naming/words.ts";
import { folded } from "./cells.ts";
import type { ColumnKind } from "./finding.ts";

/** What the header of a column says. */
export interface Heading {
  header: string;
  /** The name that its field would have. */
  name: string;
}

/** A field that a column was found to be, and whether only by likeness. */
export interface MatchedField {
  field: Field;
  isLike: boolean;
}

/** The fields of an entity that the columns of a sheet are, each of one column: by name or label, then by likeness. */
export function matchedFields(
  entity: Entity,
  headings: readonly Heading[],
): Map<number, MatchedField> {
  const found = new Map<number, MatchedField>();
  const taken = new Set<Field>();
  const take = (at: number, field: Field | undefined, isLike: boolean): void => {
    if (!field || taken.has(field) || found.has(at)) return;
    taken.add(field);
    found.set(at, { field, isLike });
  };
  for (const [at, heading] of headings.entries()) {
    const field = entity.fields.find((each) => !taken.has(each) && isCalled(each, heading));
    take(at, field, false);
  }
  for (const [at, heading] of headings.entries()) {
    if (found.has(at)) continue;
    const like = entity.fields.filter((each) => !taken.has(each) && isLike(each, heading));
    if (like.length === 1) take(at, like[0], true);
  }
  return found;
}

function isCalled({ name, label }: Field, heading: Heading): boolean {
  const said = folded(heading.header);
  return name === heading.name || folded(label) === said || folded(name) === said;
}

/** Whether a name is a misspelling of a field's, or has all of its words and some more, or the other way round. */
function isLike({ name, label }: Field, heading: Heading): boolean {
  return [name, label].some((known) => {
    const [one, other] = [words(known), words(heading.name)];
    const [few = [], many = []] = one.length <= other.length ? [one, other] : [other, one];
    if (few.length > 0 && few.every((word) => many.includes(word))) return true;
    const [left, right] = [one.join(" "), other.join(" ")];
    return left.length > 3 && editDistance(left, right) <= left.length / 5;
  });
}

/** A column that is no field of an entity, and what its values are. */
export interface Stranger {
  at: number;
  kind: ColumnKind;
  /** Its first values, whatever their spellings. */
  values: readonly string[];
}

/**
 * Fields that have no column, by the places of the columns that they may be under another name: columns of which only one fits
 * the field, and no other field fits.
 */
export function renamedFields(
  missing: readonly Field[],
  strangers: readonly Stranger[],
): Map<number, Field> {
  const isOnly = missing.length === 1 && strangers.length === 1;
  const fits = (stranger: Stranger) => missing.filter((field) => mayBe(field, stranger, isOnly));
  const pairs = strangers.flatMap((stranger) => {
    const [field, ...others] = fits(stranger);
    return field && others.length === 0 ? [{ at: stranger.at, field }] : [];
  });
  const sure = pairs.filter(
    ({ field }) => pairs.filter((other) => other.field === field).length === 1,
  );
  return new Map(sure.map(({ at, field }) => [at, field]));
}

const numeric: ReadonlySet<string> = new Set(["integer", "decimal", "money", "percent"]);

/** Texts are alike in many columns, so they need more than that: that there is one only, or what the choices are. */
function mayBe({ type }: Field, { kind, values }: Stranger, isOnly: boolean): boolean {
  if (type.kind === "choice") {
    const choices = new Set(type.choices.map(folded));
    const known = values.filter((value) => choices.has(value)).length;
    return values.length > 0 && known >= 0.8 * values.length;
  }
  const isText = kind === "text" || kind === "long text" || kind === "choice";
  if (isText) return isOnly && ["text", "long text", "one"].includes(type.kind);
  return type.kind === kind || (numeric.has(type.kind) && numeric.has(kind));
}

/** The fewest columns by which a sheet matches an entity of another name. */
const fewest = 3;

/** The entity that has the columns of a sheet, where one has nearly all of them, and they are nearly all it has. */
export function entityWithColumns(
  entities: readonly Entity[],
  headings: readonly Heading[],
): Entity | undefined {
  const fitting = entities.flatMap((entity) => {
    const exact = [...matchedFields(entity, headings).values()].filter(({ isLike }) => !isLike);
    const own = entity.fields.filter((field) => !isComputed(field)).length;
    const fits = exact.length >= fewest && exact.length * 10 >= Math.max(headings.length, own) * 7;
    return fits ? [{ entity, count: exact.length }] : [];
  });
  const [first, second] = fitting.sort((one, other) => other.count - one.count);
  return first && first.count !== second?.count ? first.entity : undefined;
}
