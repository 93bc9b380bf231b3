import type { Child } from "hono/jsx";
import type { Scope } from "../access/scope.ts";
import type { Entity, Row, RowOf } from "../entity/entity.ts";
import type { OwnColumn } from "./columns.ts";
import { shownValue } from "./value.tsx";

/**
 * A column that shows several fields together: `joined(keeperEntity, "{first_name} {last_name}")`. Words between fields
 * are left out where one of the two is blank.
 */
export function joined<Known extends Entity>(
  known: Known,
  template: string,
): OwnColumn<RowOf<Known>> {
  const entity = known as unknown as Entity;
  const parts = [...template.matchAll(/\{([^{}]*)\}|[^{}]+/g)].map(([words, field]) => ({
    words,
    field,
  }));
  return {
    fields: parts.flatMap(({ field }) => field ?? []),
    cell: (record, scope) => {
      const row = record as unknown as Row;
      const values = parts.map(({ words, field }) =>
        field === undefined ? words : partOf(scope, entity, row, field),
      );
      const isFilled = (at: number) => values[at] === undefined || !isBlank(values[at]);
      return (
        <>
          {parts.map(({ field }, at) => {
            const isShown = field !== undefined || (isFilled(at - 1) && isFilled(at + 1));
            return isShown ? values[at] : null;
          })}
        </>
      );
    },
  };
}

/** What a record has in a field; nothing where the person doesn't see it. */
function partOf(scope: Scope, entity: Entity, row: Row, name: string): Child {
  return scope.isHidden(entity, name) ? null : shownValue(scope, row, name, entity.fields[name]);
}

function isBlank(value: Child): boolean {
  return value === null || value === undefined || String(value) === "";
}
