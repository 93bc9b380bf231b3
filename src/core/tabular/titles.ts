import { Diagnostics } from "../model/diagnostics.ts";
import { automaticFields } from "../model/model.ts";
import { checkEntityName } from "../model/names.ts";
import { isInvisible, readable, withoutInvisible } from "../naming/characters.ts";
import { singularIn } from "../naming/plurals.ts";
import { capitalized, labelOf, snakeCase } from "../naming/words.ts";
import { columnLetters } from "./cells.ts";
import { currencyOf } from "./numbers.ts";

/** What the title of a column says. */
export interface Title {
  name: string;
  /** What people see, where it isn't what the name gives by itself. */
  label?: string;
  /** `Weight (kg)` has the unit kg. */
  unit?: string;
}

const longest = 50;
const unitPattern = /^(.*\S)\s*[([]\s*([\p{L}°µ%€$£][\p{L}\p{No}°µ%/²³€$£]{0,7})\s*[)\]]$/u;

/** Makes a field's name of a column's title; of its letters where there is none. */
export function fieldTitle(
  header: string,
  column: number,
  entity: string,
  taken: ReadonlySet<string>,
): Title {
  const found = unitPattern.exec(header);
  const unit = found && isUnit(found[2] ?? "") ? found[2] : undefined;
  const said = readable(unit ? (found?.[1] ?? header) : header).replace(/[:*]+$/, "");
  const full = plainName(said) || `column_${columnLetters(column).toLowerCase()}`;
  const plain = withoutEntity(full, entity);
  const reserved = (automaticFields as readonly string[]).includes(plain) || plain === "then";
  const name = untaken(reserved ? `sheet_${plain}` : plain, taken);
  const label = plain === full && !isInvisible(said) ? said : "";
  const plainLabel = label === "" || label.toLowerCase() === labelOf(name).toLowerCase();
  return { name, ...(!plainLabel && { label }), ...(unit && { unit }) };
}

/** Within hives, the hive's code is the code; a hive itself is its name. */
function withoutEntity(name: string, entity: string): string {
  const own = snakeCase(entity);
  if (name === own) return "name";
  const rest = name.startsWith(`${own}_`) ? name.slice(own.length + 1) : name;
  return /^\p{L}/u.test(rest) ? rest : name;
}

const unitWords =
  /^(mm|cm|m|km|g|kg|t|lbs?|oz|ml|cl|l|ha|m²|m2|km²|m³|m3|°c|°f|%|h|min|s|days?|years?|hours?|frames?|pcs?|w|kw|kwh|v|km\/h|masl)$/i;

/** Whether a text is the name of a unit or of a currency. */
export function isUnit(text: string): boolean {
  return unitWords.test(text) || currencyOf(text) !== undefined;
}

function plainName(text: string): string {
  const letters = withoutInvisible(text)
    .normalize("NFC")
    .replace(/#/g, " number ")
    .replace(/\be[- ]mail\b/gi, "email")
    .replace(/['’]/gu, "")
    .replace(/[^\p{L}\p{N}\p{M}]+/gu, " ")
    .trim();
  const name = snakeCase(letters)
    .replace(/[^\p{Ll}\p{Lo}\p{Lm}\p{M}\p{N}_]/gu, "")
    .slice(0, longest)
    // Marks and letters that only change others begin no word.
    .replace(/(?<=^|_)[\p{Lm}\p{M}]+/gu, "")
    .replace(/_+/g, "_")
    .replace(/^_|_$/g, "");
  return /^\p{N}/u.test(name) ? `column_${name}` : name;
}

const sheetOnly = /^(sheet|tabelle|hoja|feuil|folha|table|foglio)\s*\d*$/i;
const fileOnly =
  /^(-|data|daten|datos|donn[eé]es|dati|dados|exports?|imports?|book|mappe|libro|classeur|cartel|pasta|untitled|unbenannt|download|clipboard|list|liste|lista|tab(le|elle)?|new|neu|nuevo|copy|kopie|copia)[\s_()-]*\d*[\s)]*$/i;

/** Whether neither a sheet nor its file is called by what is in it. */
export function saysNothing(sheet: string | undefined, file: string): boolean {
  const base = file.replace(/\.[^.]*$/, "").trim();
  return (sheet === undefined || sheetOnly.test(sheet.trim())) && fileOnly.test(base);
}

/** What the records of a sheet are called of which nothing says what they are. */
export const unnamed = "Record";

/** What a sheet is called, without its year; what its file is called, where the sheet has a name that says nothing. */
export function sheetWords(sheet: string | undefined, file: string): string {
  const base = withoutInvisible(file.replace(/\.[^.]*$/, ""));
  const meaningless = !sheet || sheetOnly.test(sheet.trim());
  const words = (meaningless ? base : withoutInvisible(sheet))
    .replace(/[^\p{L}\p{N}\p{M}]+/gu, " ")
    .trim();
  return words.replace(/\s+\d{2,4}$/, "") || unnamed;
}

/** Makes an entity's name of what a sheet is called in a language. */
export function entityName(
  sheet: string | undefined,
  file: string,
  { taken, language }: { taken: ReadonlySet<string>; language: string },
): string {
  const parts = singularIn(language, sheetWords(sheet, file)).split(" ");
  const name = parts.map(capitalized).join("").slice(0, longest);
  const lettered = /^[\p{Lu}\p{Lo}]/u.test(name) ? name : `Sheet${capitalized(name)}`;
  return untakenEntity(isEntityName(lettered) ? lettered : `Sheet${lettered}`, taken);
}

function isEntityName(name: string): boolean {
  return checkEntityName({ text: name, at: { start: 0, end: 0 } }, new Diagnostics());
}

/** A name for the entity that a column's values could be. */
export function entityOfColumn(
  name: string,
  { taken, language }: { taken: ReadonlySet<string>; language: string },
): string {
  const words = singularIn(language, labelOf(name.replace(/_(name|code|no|number|id)$/, "")));
  return untakenEntity(words.split(" ").map(capitalized).join(""), taken);
}

/** A field's name that meets neither those of others nor the columns that references among them get. */
export function besideReferences(
  name: string,
  references: readonly string[],
  taken: ReadonlySet<string>,
): string {
  const kept = references.flatMap((reference) => [`${reference}_id`, `${reference}_title`]);
  const meets = [...kept, "display_title"].some((other) => flat(other) === flat(name));
  return meets ? untaken(`${name}_2`, new Set([...taken, ...kept])) : name;
}

function flat(name: string): string {
  return name.replaceAll("_", "").toLowerCase();
}

export function untaken(name: string, taken: ReadonlySet<string>): string {
  const used = new Set([...taken].map(flat));
  for (let number = 1; ; number++) {
    const candidate = number === 1 ? name : `${name.slice(0, longest - 4)}_${number}`;
    if (!used.has(flat(candidate))) return candidate;
  }
}

function untakenEntity(name: string, taken: ReadonlySet<string>): string {
  const used = new Set([...taken].map((other) => snakeCase(other)));
  for (let number = 1; ; number++) {
    const candidate = number === 1 ? name : `${name.slice(0, longest - 4)}${number}`;
    if (!used.has(snakeCase(candidate))) return candidate;
  }
}
