import type { Calculation } from "../../../kit/formula/calculation.ts";
import { type Entity, isComputed, isMany, type Model } from "../model/model.ts";
import { rightsOf } from "../model/rights.ts";
import { columnOf, linkOf, tableOf } from "../schema/from-model.ts";
import { computedField } from "./compile.ts";

/**
 * The fields of an entity that don't exist for a group: those that its rights hide, and those that are computed from
 * any that are hidden from it, wherever these are.
 */
export function hiddenFields(model: Model, entity: Entity, group: string): ReadonlySet<string> {
  const own = hiddenByName(model, entity, group);
  const hidden = new Set(own);
  const columns = hiddenColumns(model, group);
  if (columns.size === 0) return hidden;
  for (const field of entity.fields) {
    if (!isComputed(field)) continue;
    const read = columnsRead(computedField(model, entity, field), tableOf(entity.name));
    if (read.some((column) => columns.has(column))) hidden.add(field.name);
  }
  return hidden;
}

function hiddenByName({ users }: Model, entity: Entity, group: string): readonly string[] {
  return (users && rightsOf(users, entity)[group]?.[0]?.hidden) ?? [];
}

/** The columns behind the hidden fields of all entities, such as `hive.price`; of several records, their table of links. */
function hiddenColumns(model: Model, group: string): ReadonlySet<string> {
  return new Set(
    model.entities.flatMap((entity) => {
      const hidden = hiddenByName(model, entity, group);
      return entity.fields
        .filter(({ name }) => hidden.includes(name))
        .map((field) =>
          isMany(field)
            ? linkOf(entity, field).table
            : `${tableOf(entity.name)}.${columnOf(field)}`,
        );
    }),
  );
}

/** The columns and tables of links that a calculation reads, such as `hive.price`. */
export function columnsRead(calculation: Calculation, table: string): string[] {
  const tables = new Map([[0, table]]);
  const read: string[] = [];
  const visit = (each: Calculation): void => {
    switch (each.kind) {
      case "column":
        read.push(`${tables.get(each.row)}.${each.column}`);
        return;
      case "through":
        tables.set(each.row, each.table);
        visit(each.reference);
        visit(each.value);
        return;
      case "includes me":
      case "over": {
        const { by, table: of } = each.source;
        tables.set(each.row, of);
        read.push(typeof by === "string" ? `${of}.${by}` : by.links);
        if (each.kind === "includes me") return;
        for (const inner of [each.value, each.condition]) if (inner) visit(inner);
        return;
      }
      case "operation":
        each.given.forEach(visit);
        return;
      case "constant":
      case "today":
      case "now":
      case "me":
        return;
    }
  };
  visit(calculation);
  return read;
}
