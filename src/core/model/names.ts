import { withoutInvisible } from "../naming/characters.ts";
import { camelCase, pascalCase, pluralOf, slugOf, snakeCase } from "../naming/words.ts";
import type { Diagnostics, Span } from "./diagnostics.ts";
import { automaticFields, type Entity, isMany, isReference, type Model } from "./model.ts";
import type { Word } from "./notation.ts";

/** The longest name that every database accepts, with room for suffixes. */
const longestName = 50;

/** Names of files that some systems keep for themselves. */
const deviceNames = /^(con|prn|aux|nul|com\d|lpt\d)$/;

/** Whether an entity can have this name; says why not. */
export function checkEntityName({ text, at }: Word, diagnostics: Diagnostics): boolean {
  const name = text.normalize("NFC");
  const trouble = !/^[\p{L}\p{N}][\p{L}\p{N}\p{M}]*$/u.test(withoutHidden(name))
    ? ["has other characters than letters and digits", "write it as QueenLine"]
    : !/^[\p{Lu}\p{Lo}\p{Script=Georgian}]/u.test(name)
      ? ["doesn't begin with a capital", capitalHelp(name)]
      : [...name].length > longestName
        ? [
            `is longer than ${longestName} characters`,
            "shorten it, and put the long text into `label`",
          ]
        : /^(levadura|sqlite)/i.test(name)
          ? ["begins with a word that is kept for the database itself", "choose another name"]
          : slugOf(name) === "" || deviceNames.test(slugOf(name))
            ? ["can't be the name of a file on every system", "choose another name"]
            : undefined;
  if (!trouble) return true;
  diagnostics.error(at, `the entity name \`${text}\` ${trouble[0]}`, trouble[1]);
  return false;
}

/** Whether a field can have this name; says why not. */
export function checkFieldName({ text, at }: Word, diagnostics: Diagnostics): boolean {
  const name = text.normalize("NFC");
  const trouble = (automaticFields as readonly string[]).includes(name)
    ? [
        "is one that every entity has by itself",
        "choose another name, or leave it out: it is there already",
      ]
    : name === "then"
      ? [
          "would make its records look like promises to the code",
          "choose another name, with `label: Then`",
        ]
      : !/^[\p{Ll}\p{Lo}][\p{Ll}\p{Lo}\p{Lm}\p{M}\p{N}]*(_[\p{Ll}\p{Lo}\p{N}][\p{Ll}\p{Lo}\p{Lm}\p{M}\p{N}]*)*$/u.test(
            withoutHidden(name),
          )
        ? ["is not in small letters, digits and single underscores", fieldNameHelp(name)]
        : [...name].length > longestName
          ? [
              `is longer than ${longestName} characters`,
              "shorten it, and put the long text into `label`",
            ]
          : undefined;
  if (!trouble) return true;
  diagnostics.error(at, `the field name \`${text}\` ${trouble[0]}`, trouble[1]);
  return false;
}

function capitalHelp(name: string): string {
  const better = name.charAt(0).toUpperCase() + name.slice(1);
  return better === name ? "write it as QueenLine" : `write ${better}`;
}

/** A name with an invisible letter is refused. */
function withoutHidden(name: string): string {
  return name === withoutInvisible(name) ? name : "";
}

function fieldNameHelp(name: string): string {
  const better = snakeCase(withoutInvisible(name))
    .replace(/[^\p{L}\p{N}\p{M}]+/gu, "_")
    .replace(/^[_\p{N}]+|_+$/gu, "");
  return better ? `write ${better}` : "write it as brood_frames";
}

/** Reports names that would be one and the same in a table, a file, an address or the code. */
export function checkMeetings(model: Model, diagnostics: Diagnostics): void {
  const tables = new Meeting("table", diagnostics);
  const files = new Meeting("file", diagnostics);
  const addresses = new Meeting("address", diagnostics);
  const functions = new Meeting("function in the code", diagnostics);
  for (const entity of model.entities) {
    tables.add(snakeCase(entity.name), `\`${entity.name}\``, entity.at);
    files.add(slugOf(entity.name), `\`${entity.name}\``, entity.at);
    const path = pathOf(entity);
    if (path === "/") {
      diagnostics.error(
        entity.at,
        `the plural of \`${entity.name}\` has no letters for an address`,
        "give it a `plural`",
      );
    }
    addresses.add(path, `\`${entity.name}\``, entity.at);
    functions.add(`list${pascalCase(pluralOf(entity.name))}`, `\`${entity.name}\``, entity.at);
    checkColumns(entity, diagnostics);
  }
  for (const entity of model.entities) {
    for (const field of entity.fields.filter(isMany)) {
      const table = `${snakeCase(entity.name)}_${field.name}`;
      tables.add(table, `\`${entity.name}.${field.name}\``, field.at);
    }
  }
  checkFormerNames(model, diagnostics);
}

/** Each old name belongs to one new name, and differs from it. */
function checkFormerNames({ entities }: Model, diagnostics: Diagnostics): void {
  for (const { name, fields } of entities) {
    const taken = new Map<string, string>();
    for (const { name: field, was, at } of fields) {
      if (was === undefined) continue;
      const other = taken.get(was);
      if (was === field) {
        diagnostics.error(at, `\`${name}.${field}\` was itself`, "take `was` out");
      } else if (other !== undefined) {
        diagnostics.error(
          at,
          `\`${other}\` and \`${field}\` both were \`${was}\``,
          "values move along once: take `was` out of the one that is new",
        );
      } else taken.set(was, field);
    }
  }
  const taken = new Map<string, string>();
  for (const { name, was, at } of entities) {
    if (was === undefined) continue;
    if (was === name) {
      diagnostics.error(at, `\`${name}\` was itself`, "take `was` out");
      continue;
    }
    const other = taken.get(was);
    if (other) {
      diagnostics.error(
        at,
        `\`${other}\` and \`${name}\` both were \`${was}\``,
        "its records move along once: take `was` out of the one that is new",
      );
    } else taken.set(was, name);
  }
}

/** The address under which the pages of an entity are: `/queen-lines`. */
export function pathOf(entity: Entity): string {
  return `/${slugOf(entity.plural)}`;
}

function checkColumns(entity: Entity, diagnostics: Diagnostics): void {
  const columns = new Meeting("column", diagnostics);
  const taken: Span = entity.at;
  for (const name of [...automaticFields, "displaytitle"])
    columns.add(name, `the automatic \`${name}\``, taken);
  for (const field of entity.fields) {
    const words = `\`${field.name}\``;
    const reference = isReference(field);
    columns.add(reference ? `${field.name}_id` : field.name, words, field.at);
    if (reference) columns.add(`${camelCase(field.name)}title`, words, field.at);
  }
  const fields = new Meeting("field", diagnostics);
  for (const field of entity.fields)
    fields.add(camelCase(field.name), `\`${field.name}\``, field.at);
}

/** Notices when two names come to the same, whatever their case. */
class Meeting {
  readonly #taken = new Map<string, string>();

  constructor(
    readonly what: string,
    readonly diagnostics: Diagnostics,
  ) {}

  add(name: string, words: string, at: Span): void {
    const key = name.toLowerCase();
    const other = this.#taken.get(key);
    if (other === undefined) this.#taken.set(key, words);
    else {
      this.diagnostics.error(
        at,
        `${words} and ${other} would have the same ${this.what}, \`${name}\``,
        "rename one of them",
      );
    }
  }
}
