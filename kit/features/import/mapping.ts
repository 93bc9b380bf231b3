import type { Scope } from "../../access/scope.ts";
import { type Entity, isReferences } from "../../entity/entity.ts";
import { labelIn } from "../../entity/label.ts";
import { changeableFields } from "../bulk/change.tsx";
import type { Sheet } from "./sheet.ts";

/** To which field each column of a sheet goes, and by what records are recognised; blank for none. */
export interface Mapping {
  fields: readonly string[];
  /** A field whose value is in one record at most, or `id`. */
  key: string;
  /** Whether a blank cell clears what a record has. */
  clears: boolean;
}

/** The name of the column with the numbers of records. */
export const numberColumn = "id";

/** What a column can go to: the fields that somebody may fill in, and the number of the record. */
export function targetsOf(scope: Scope, entity: Entity): [string, string][] {
  const fields = changeableFields(scope, entity).map((name): [string, string] => {
    const field = entity.inputs[name];
    return [name, field ? labelIn(field.label, scope.language) : name];
  });
  return [...fields, [numberColumn, scope.messages.automatic.id]];
}

/** By what records can be recognised: their number, or a field of texts or numbers. */
export function keysOf(scope: Scope, entity: Entity): [string, string][] {
  return targetsOf(scope, entity).filter(([name]) => {
    const field = entity.inputs[name];
    return (
      name === numberColumn ||
      (field && !isReferences(field) && ["text", "email", "integer", "phone"].includes(field.kind))
    );
  });
}

/** What the titles of a sheet say: the fields that are called so, each once. */
export function proposedMapping(scope: Scope, entity: Entity, { titles }: Sheet): Mapping {
  const left = new Map(targetsOf(scope, entity));
  const fields = titles.map((title) => {
    const wanted = plainName(title);
    const found = [...left].find(
      ([name, label]) =>
        wanted !== "" &&
        [plainName(label), plainName(name), plainName(name.replace(/_id$/, ""))].includes(wanted),
    );
    if (!found) return "";
    left.delete(found[0]);
    return found[0];
  });
  const keys = keysOf(scope, entity).map(([name]) => name);
  const unique = keys.find((name) => fields.includes(name) && isTitle(entity, name));
  const key = fields.includes(numberColumn) ? numberColumn : (unique ?? "");
  return { fields, key, clears: false };
}

/** Whether a field is the title of its records, as it is. */
function isTitle({ titleParts }: Entity, name: string): boolean {
  const [only, ...more] = titleParts;
  return more.length === 0 && only !== undefined && "field" in only && only.field === name;
}

/** A title without what it is written with: case, spaces, signs, and a unit in brackets. */
function plainName(text: string): string {
  return text
    .replace(/\([^()]*\)\s*$/, "")
    .normalize("NFD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "");
}

/** The mapping that a page sent; what can't be is left out. */
export function sentMapping(
  scope: Scope,
  entity: Entity,
  { titles }: Sheet,
  sent: (name: string) => string,
): Mapping {
  const known = new Set(targetsOf(scope, entity).map(([name]) => name));
  const taken = new Set<string>();
  const fields = titles.map((_, at) => {
    const name = sent(`column.${at}`);
    if (!known.has(name) || taken.has(name)) return "";
    taken.add(name);
    return name;
  });
  const key = sent("key");
  const keys = keysOf(scope, entity).map(([name]) => name);
  return {
    fields,
    key: keys.includes(key) && fields.includes(key) ? key : "",
    clears: sent("clears") === "yes",
  };
}
