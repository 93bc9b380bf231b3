import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { wordPattern } from "../../database/collation.ts";
import { columnContains, contains } from "../../database/current-dialect.ts";
import { type Entity, isComputed, isReference } from "../../entity/entity.ts";
import { labelIn } from "../../entity/label.ts";
import type { Field } from "../../fields/field.ts";
import { typeOf } from "../../fields/types.ts";
import { plainTitle, titleOf } from "../titles.ts";

/** The most words that a search looks for. */
const mostWords = 8;

/** The conditions that a record holds each word of a search: in a text, in a choice, or in the title of what it refers to. */
export function searchConditions(
  scope: Scope,
  entity: Entity,
  search: string,
): RawBuilder<SqlBool>[] {
  const words = isSearched(entity) ? wordsOf(search) : [];
  return words.map((word) => {
    const places = Object.entries(entity.fields).flatMap(([name, field]) =>
      scope.isHidden(entity, name) ? [] : lookInto(scope, entity, name, field, word),
    );
    return places.length > 0 ? sql<SqlBool>`(${sql.join(places, sql` or `)})` : nowhere;
  });
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
  const plain = plainTitle(target);
  const holds = plain
    ? columnContains(`${table}.${plain}`, word, typeOf(target.fields[plain] as Field).sortable)
    : contains(titleOf(scope, target, table), word);
  return [
    sql<SqlBool>`${sql.ref(column)} in (select ${sql.ref(`${table}.id`)} from ${scope.rowsOf(target)} as ${sql.table(table)} where ${holds})`,
  ];
}
