import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { wordPattern } from "../../database/collation.ts";
import { columnContains, contains, wordCandidates } from "../../database/current-dialect.ts";
import { type Entity, isComputed, isReference } from "../../entity/entity.ts";
import { labelIn } from "../../entity/label.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { plainTitle, titleOf } from "../titles.ts";
import { fewRecords } from "./few-records.ts";

/** The most words that a search looks for. */
const mostWords = 8;

/** The conditions that a record holds each word of a search: in a text, in a choice, or in the title of what it refers to. */
export async function searchConditions(
  scope: Scope,
  entity: Entity,
  search: string,
): Promise<RawBuilder<SqlBool>[]> {
  const words = isSearched(entity) ? wordsOf(search) : [];
  const fields = Object.entries(entity.fields).filter(([name]) => !scope.isHidden(entity, name));
  const placesIn = (some: typeof fields, word: string) =>
    some.flatMap(([name, field]) => lookInto(scope, entity, name, field, word));
  // An index doesn't know what is computed.
  const calculates = fields.some(([, field]) => isComputed(field) && typeOf(field).searched);
  const others = fields.filter(([name]) => !entity.words.includes(name));
  const few = await fewRecords(scope, entity, words, calculates ? [] : entity.words, (word) =>
    placesIn(others, word),
  );
  const held = words.map((word) => anyOf(placesIn(fields, word)));
  return few ? [few, ...held] : held;
}

function anyOf(places: readonly RawBuilder<SqlBool>[]): RawBuilder<SqlBool> {
  return places.length > 0 ? sql<SqlBool>`(${sql.join(places, sql` or `)})` : nowhere;
}

/** Whether the records of an entity can be searched. */
export function isSearched({ fields }: Entity): boolean {
  return Object.values(fields).some((field) => typeOf(field).searched || isReference(field));
}

/** The words of a search: each once, and none that is within another one. */
function wordsOf(search: string): string[] {
  const words = new Map(search.split(/\s+/).map((word) => [word.toLowerCase(), word]));
  words.delete("");
  const keys = [...words.keys()];
  const needed = keys.filter((key) => !keys.some((other) => other !== key && other.includes(key)));
  return needed.slice(0, mostWords).map((key) => words.get(key) ?? key);
}

/** A condition that no row meets. */
const nowhere = sql<SqlBool>`1 = 0`;

/** The condition that a field holds a word; none where it can't. */
function lookInto(
  scope: Scope,
  entity: Entity,
  name: string,
  field: Field,
  word: string,
): RawBuilder<SqlBool>[] {
  const { table } = entity;
  if (isReference(field))
    return lookThrough(scope, scope.entities.named(field.to), `${table}.${name}`, word);
  if (!typeOf(field).searched) return [];
  if (isComputed(field)) return [contains(field.formula(scope), word)];
  const column = `${table}.${name}`;
  if (!field.choices) return [columnContains(column, word, typeOf(field).sortable)];
  const pattern = new RegExp(wordPattern(word));
  const values = Object.entries(field.choices).flatMap(([value, label]) =>
    pattern.test(labelIn(label, scope.language)) ? [value] : [],
  );
  return values.length > 0 ? [sql<SqlBool>`${sql.ref(column)} in (${sql.join(values)})`] : [];
}

/** The condition that the title of what a column refers to holds a word. */
function lookThrough(
  scope: Scope,
  target: Entity,
  column: string,
  word: string,
): RawBuilder<SqlBool>[] {
  const { table } = target;
  const id = sql.ref(`${table}.id`);
  const plain = plainTitle(target) ?? "";
  const candidates = target.words.includes(plain) && wordCandidates(table, [plain], word);
  const among = candidates ? sql`${id} in (${candidates}) and ` : sql``;
  return [
    sql<SqlBool>`${sql.ref(column)} in (select ${id} from ${scope.rowsOf(target)} as ${sql.table(table)} where ${among}${titleHolds(scope, target, word)})`,
  ];
}

/** The conditions that the titles of records hold each of some words; their table goes by its own name. */
export async function titleMatches(
  scope: Scope,
  entity: Entity,
  search: string,
): Promise<RawBuilder<SqlBool>[]> {
  const words = wordsOf(search);
  const plain = plainTitle(entity) ?? "";
  const indexed = entity.words.includes(plain) ? [plain] : [];
  const few = await fewRecords(scope, entity, words, indexed, () => []);
  const held = words.map((word) => titleHolds(scope, entity, word));
  return few ? [few, ...held] : held;
}

function titleHolds(scope: Scope, entity: Entity, word: string): RawBuilder<SqlBool> {
  const { table, fields } = entity;
  const plain = plainTitle(entity);
  return plain
    ? columnContains(`${table}.${plain}`, word, typeOf(fields[plain] as Field).sortable)
    : contains(titleOf(scope, entity, table), word);
}
