import { type RawBuilder, type SqlBool, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference } from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import { printName, printText } from "../../formula/print.ts";
import { AskedFormulas } from "../asked-formulas.ts";
import { pathLabel, pathOf } from "../formula-paths.ts";

/** A filter by a field at the end of references, as an address has it: `where.hive.apiary=3`. */
export interface AlongFilter {
  parameter: string;
  value: string;
  /** What people call the field; what was written, where it is none that can be filtered by. */
  label: string;
  field: Field | undefined;
  /** The entity whose record the value is the number of. */
  target: Entity | undefined;
  condition: RawBuilder<SqlBool>;
}

const prefix = "where.";

/** The parameter by which a list is filtered along a path. */
export function alongParameter(path: string): string {
  return prefix + path;
}

/** The filters of an address by fields at the end of references. One that can't be read keeps no rows. */
export function alongFilters(scope: Scope, entity: Entity, query: URLSearchParams): AlongFilter[] {
  return [...query].flatMap(([parameter, value]): AlongFilter[] => {
    if (!parameter.startsWith(prefix)) return [];
    const text = parameter.slice(prefix.length);
    const path = pathOf(scope, entity, text);
    const field = path?.fields.at(-1)?.field;
    const none = { parameter, value, label: text, field: undefined, target: undefined };
    const written = path && field ? writtenFilter(path.names, field, value) : undefined;
    const found = written && new AskedFormulas(scope).read(entity, written);
    if (!path || !field || !found || "complaint" in found)
      return [{ ...none, condition: sql<SqlBool>`1 = 0` }];
    const target = isReference(field) ? scope.entities.named(field.to) : undefined;
    const condition = found.value as RawBuilder<SqlBool>;
    return [{ parameter, value, label: pathLabel(scope, path), field, target, condition }];
  });
}

/** A condition for a value of a field at the end of a path; undefined for one that it can't have. */
function writtenFilter(names: readonly string[], field: Field, value: string): string | undefined {
  const path = names.map(printName).join(".");
  if (isReference(field)) return /^\d{1,15}$/.test(value) ? `${path}.id = ${value}` : undefined;
  if (field.choices && Object.hasOwn(field.choices, value)) return `${path} = ${printText(value)}`;
  return undefined;
}
