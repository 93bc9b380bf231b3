import { sql } from "kysely";
import type { Scope } from "../access/scope.ts";
import { type Entity, isReference, isReferences, type Row } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import { choiceLabel } from "../fields/choice.tsx";
import type { Field } from "../fields/field.ts";
import { fileNames, isFiles } from "../fields/files.tsx";
import { titleOf } from "./titles.ts";

/** The most records that one cell names. */
const mostNames = 200;

/** The most names that are looked up in one statement. */
const namesAtOnce = 500;

/** Between the titles of several records in one cell. */
export const betweenTitles = "; ";

/** What is in a cell: the text of it; with the numbers of the records that it names, where they were chosen. */
export interface CellText {
  text: string;
  ids?: readonly number[] | undefined;
}

/** What some cells say, as a form would carry it; and what is wrong with the others, by their fields. */
export interface ReadCells {
  typed: Map<string, string[]>;
  errors: Map<string, string>;
}

/**
 * A value of a record as a text that people read and can type again: of a choice its label, of references the titles
 * of what they refer to.
 */
export function cellText(scope: Scope, row: Row, name: string, field: Field): string {
  if (isReference(field)) {
    const link = row[name.replace(/_id$/, "")] as Link | null | undefined;
    return link?.displayTitle ?? "";
  }
  const value = row[name];
  if (value === null || value === undefined) return "";
  if (isReferences(field))
    return (value as Link[]).map(({ displayTitle }) => displayTitle).join(betweenTitles);
  if (field.choices) return choiceLabel(field, String(value), scope.language);
  if (field.kind === "boolean") return scope.format.boolean(Boolean(value));
  if (isFiles(field)) return fileNames(value);
  return field.write(value, scope);
}

/** Reads the texts of cells, for some rows at once: records are found by their titles, in one statement a field. */
export async function readCells(
  scope: Scope,
  entity: Entity,
  rows: readonly ReadonlyMap<string, CellText>[],
): Promise<ReadCells[]> {
  const found = new Map<string, ReadonlyMap<string, readonly number[]>>();
  for (const [name, field] of Object.entries(entity.inputs)) {
    if (!isReference(field) && !isReferences(field)) continue;
    const texts = rows.flatMap((cells) => {
      const cell = cells.get(name);
      return cell && !cell.ids ? namesIn(field, cell.text) : [];
    });
    found.set(name, await idsOfTitles(scope, scope.entities.named(field.to), texts));
  }
  return rows.map((cells) => {
    const read: ReadCells = { typed: new Map(), errors: new Map() };
    for (const [name, cell] of cells) {
      const field = entity.inputs[name];
      if (!field) continue;
      const reading = readCell(scope, field, cell, found.get(name));
      if (typeof reading === "string") read.errors.set(name, reading);
      else read.typed.set(name, reading);
    }
    return read;
  });
}

/** The records that a cell names. */
function namesIn(field: Field, text: string): string[] {
  const names = isReferences(field) ? text.split(";", mostNames + 1) : [text];
  return names.map((name) => name.trim().normalize("NFC")).filter(Boolean);
}

/** What a form carries for the text of a cell; or what is wrong with it, as a sentence. */
function readCell(
  scope: Scope,
  field: Field,
  { text, ids }: CellText,
  found: ReadonlyMap<string, readonly number[]> = new Map(),
): string[] | string {
  const { messages } = scope;
  const trimmed = text.trim();
  if (isReference(field) || isReferences(field)) {
    if (ids) return ids.map(String);
    const names = namesIn(field, text);
    if (names.length > mostNames) return messages.chooseAtMost(mostNames);
    const known: string[] = [];
    for (const name of names) {
      const [id, ...more] = found.get(name) ?? [];
      if (id === undefined) return messages.noneIsCalled(name.slice(0, 100));
      if (more.length > 0) return messages.severalAreCalled(name.slice(0, 100));
      known.push(String(id));
    }
    return known;
  }
  if (field.choices) {
    if (trimmed === "") return [];
    const value = choiceOf(scope, field, trimmed);
    return value === undefined ? messages.chooseOffered : [value];
  }
  if (field.kind === "boolean") return readBoolean(scope, trimmed);
  return [text];
}

/** The choice with a label, or a value, whatever its case. */
function choiceOf(scope: Scope, field: Field, text: string): string | undefined {
  const values = Object.keys(field.choices ?? {});
  const wanted = text.normalize("NFC").toLowerCase();
  const labelled = values.find(
    (value) => choiceLabel(field, value, scope.language).toLowerCase() === wanted,
  );
  return labelled ?? values.find((value) => value.toLowerCase() === wanted);
}

function readBoolean({ messages }: Scope, text: string): string[] | string {
  const word = text.toLowerCase();
  if (["yes", "true", "1", "x", messages.yes.toLowerCase()].includes(word)) return ["yes"];
  if (["", "no", "false", "0", messages.no.toLowerCase()].includes(word)) return [];
  return messages.yesOrNo;
}

/** The numbers of the records in sight that are called so, by their titles. */
async function idsOfTitles(
  scope: Scope,
  entity: Entity,
  texts: readonly string[],
): Promise<ReadonlyMap<string, readonly number[]>> {
  const found = new Map<string, number[]>();
  const wanted = [...new Set(texts)].filter((text) => text.length <= 400 && !text.includes("\0"));
  if (!scope.may("see", entity)) return found;
  const { table } = entity;
  for (let at = 0; at < wanted.length; at += namesAtOnce) {
    const title = titleOf(scope, entity, table);
    const { rows } = await sql<{ id: number; title: string }>`
      select ${sql.ref(`${table}.id`)}, ${title} as title
      from ${scope.rowsOf(entity)} as ${sql.table(table)}
      where ${title} in (${sql.join(wanted.slice(at, at + namesAtOnce))})`.execute(scope.db);
    for (const { id, title } of rows) found.set(title, [...(found.get(title) ?? []), id]);
  }
  return found;
}
