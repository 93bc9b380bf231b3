import { type Entity, type Field, isReference, type Model } from "../model/model.ts";
import { columnOf } from "../schema/from-model.ts";
import { conditionsOf, settle } from "./conditions.ts";
import { always, dayOf } from "./days.ts";
import { type FieldMaker, fieldMakers } from "./fields.ts";
import { makingOf } from "./making.ts";
import { mostTries, seededFields } from "./rows.ts";
import type { Value } from "./value.ts";

/** The value of a reference to a record. */
export const someRecord = 1;

/**
 * One record of an entity, by its columns, as tests need it: it has what it needs and no more, and obeys the rules
 * that look at nothing else. Days count back from `today`.
 */
export function sampleRecord(model: Model, entity: Entity, today: string): Record<string, Value> {
  const making = makingOf(model, entity, { seed: 0, today: dayOf(today), wanted: 1 });
  const fields = seededFields(entity);
  const needed = fields.filter(({ required, requiredWhen }) => required || requiredWhen);
  const makers = fieldMakers(needed, making, new Map());
  const blank = Object.fromEntries(fields.map((field) => [columnOf(field), null]));
  const conditions = conditionsOf(model, entity, { today, now: `${today}T12:00:00Z` });
  let made: Record<string, Value> = {};
  for (let turn = 0; turn < mostTries; turn++) {
    const row: Record<string, Value> = { ...blank };
    const filled = ({ field, filled: value }: FieldMaker): Value =>
      isReference(field)
        ? someRecord
        : (startOf(field, turn) ?? value(0, turn, row, { ...always }));
    for (const maker of makers) if (maker.field.required) row[maker.column] = filled(maker);
    settle(row, conditions, today, {
      made: (field) => {
        const maker = makers.find((each) => each.field === field);
        return maker ? filled(maker) : null;
      },
      asComputed: (field) => field.required,
    });
    made = row;
    if (!conditions.broken(row)) break;
  }
  return made;
}

/** What a new record starts with, where that is always the same; at first, before others are tried. */
function startOf({ default: start }: Field, turn: number): Value | undefined {
  return turn === 0 && start && "value" in start ? start.value : undefined;
}
