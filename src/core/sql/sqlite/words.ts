import { quoted } from "../../../../kit/database/sqlite/literals.ts";
import type { Index, Table } from "../../schema/schema.ts";

/**
 * The index of parts of words of a table: a full-text table beside it, whose tokens are every three letters in a row of
 * what the columns hold, in the letters by which texts are ordered, without accents. Triggers keep it right, whoever writes to
 * the table. It keeps no text and no places, so a row that it names has to be looked at again.
 */

/** The full-text table. Its name is one of the tool's own, so that it isn't taken for one made by hand. */
export function wordsTable(index: string): string {
  return `levadura_${index}`;
}

/** Makes the index of a table that has no rows yet. */
export function createWords(table: Table, index: Index): string[] {
  return [
    `create virtual table ${quoted(wordsTable(index.name))} using fts5 (words, content = '', detail = none, tokenize = "trigram case_sensitive 1")`,
    ...wordsTriggers(table, index),
  ];
}

/** Fills it, of the rows that came without its triggers. */
export function fillWords(table: Table, index: Index): string {
  return `insert into ${quoted(wordsTable(index.name))} (rowid, words)\nselect new.${quoted("id")}, ${wordsOf(index, "new")} from ${quoted(table.name)} as new`;
}

/** Removes it. */
export function dropWords(index: Index): string[] {
  return [...dropWordsTriggers(index), `drop table ${quoted(wordsTable(index.name))}`];
}

/** Empties and fills it, where rows may have changed without its triggers. */
export function refillWords(table: Table, index: Index): string[] {
  const name = quoted(wordsTable(index.name));
  return [`insert into ${name} (${name}) values ('delete-all')`, fillWords(table, index)];
}

/** What fills the index by one of its triggers, which says what it takes of each row. */
export function fillLike(insertTrigger: string, table: string): string {
  const [, insert = "", values = ""] =
    /\bbegin\n {2}(insert into .*) values \((.*)\);\nend$/s.exec(insertTrigger) ?? [];
  return `${insert} select ${values} from ${quoted(table)} as new`;
}

/** The triggers of an index, by the changes of rows after which they run. */
const events = ["insert", "update", "delete"] as const;

/** The name of the trigger after a change. */
export function wordsTrigger(index: string, event: (typeof events)[number]): string {
  return `${index}__${event}`;
}

/** The names of all triggers of an index. */
export function wordsTriggerNames(index: string): string[] {
  return events.map((event) => wordsTrigger(index, event));
}

/** The triggers that keep the index right. */
export function wordsTriggers({ name }: Table, index: Index): string[] {
  const words = quoted(wordsTable(index.name));
  const forget = `insert into ${words} (${words}, rowid, words) values ('delete', old.${quoted("id")}, ${wordsOf(index, "old")});`;
  const add = `insert into ${words} (rowid, words) values (new.${quoted("id")}, ${wordsOf(index, "new")});`;
  const columns = ["id", ...index.columns].map(quoted);
  const differs = columns.map((column) => `old.${column} is not new.${column} collate binary`);
  const [inserted = "", updated = "", deleted = ""] = wordsTriggerNames(index.name).map(quoted);
  return [
    `create trigger ${inserted} after insert on ${quoted(name)} begin\n  ${add}\nend`,
    `create trigger ${updated} after update of ${columns.join(", ")} on ${quoted(name)}\nwhen ${differs.join(" or ")} begin\n  ${forget}\n  ${add}\nend`,
    `create trigger ${deleted} after delete on ${quoted(name)} begin\n  ${forget}\nend`,
  ];
}

/** Removes those triggers, before what they speak of changes. */
export function dropWordsTriggers(index: Index): string[] {
  return wordsTriggerNames(index.name).map((name) => `drop trigger if exists ${quoted(name)}`);
}

/** What the columns of a row hold, in the letters that are searched for; a line each. */
function wordsOf({ columns }: Index, row: string): string {
  return columns
    .map((column) => `coalesce(${plain(`${row}.${quoted(column)}`)}, '')`)
    .join(" || char(10) || ");
}

/** A text in the letters that it is searched by: small ones, those beyond ASCII as `levadura_letters` reads them. */
function plain(text: string): string {
  const letter = "substr(x, place.key + 1, 1)";
  const letters = `select coalesce(base, lower(${letter})) as base from json_each('[' || substr(replace(hex(zeroblob(length(x))), '00', ',0'), 2) || ']') as place left join levadura_letters on letter = ${letter} order by place.key`;
  return `(select case when length(x) < length(cast(x as blob)) then (select group_concat(base, '') from (${letters})) else lower(x) end from (select ${text} as x limit 1))`;
}
