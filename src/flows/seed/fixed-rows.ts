import { todayIn } from "../../../kit/formula/clock.ts";
import { Failure } from "../../core/failure.ts";
import { type Entity, isMany, isReference, type Model } from "../../core/model/model.ts";
import { columnOf } from "../../core/schema/from-model.ts";
import { lifetimesOf } from "../../core/seeding/days.ts";
import { seededFields } from "../../core/seeding/rows.ts";
import type { Present } from "../../core/seeding/sampling.ts";
import type { Value } from "../../core/seeding/value.ts";
import { keyField } from "../../core/tabular/entity-keys.ts";
import type { Project } from "../../io/project/project.ts";
import { seedSources, storedValue } from "../import/load.ts";

/** A row that the model asks for, as the database would have it, with its number. */
export interface FixedRow {
  row: Record<string, Value>;
  /** The numbers of what its fields with many records hold, by field. */
  links: ReadonlyMap<string, number[]>;
}

/** What is written for a row, by field. */
type Cells = Record<string, string>;

/** The rows that the model asks for, by entity; their numbers count from 1. */
export async function fixedRowsOf(
  project: Project,
  model: Model,
): Promise<Map<string, FixedRow[]>> {
  const cells = new Map<string, Cells[]>();
  const numbers = new Map<string, ReadonlyMap<string, number>>();
  for (const entity of model.entities) {
    const found: Cells[] = [];
    for (const source of await seedSources(project, model, entity)) {
      for (const { header, rows } of source.read()) {
        for (const row of rows) {
          found.push(Object.fromEntries(header.map((name, at) => [name, String(row[at] ?? "")])));
        }
      }
    }
    const key = keyField(entity)?.name;
    cells.set(entity.name, found);
    numbers.set(
      entity.name,
      new Map(key ? found.map((row, at) => [(row[key] ?? "").toLowerCase(), at + 1]) : []),
    );
  }
  return new Map(
    model.entities.map((entity) => [
      entity.name,
      rowsOf(model, entity, cells.get(entity.name) ?? [], numbers),
    ]),
  );
}

function rowsOf(
  model: Model,
  entity: Entity,
  cells: readonly Cells[],
  numbers: ReadonlyMap<string, ReadonlyMap<string, number>>,
): FixedRow[] {
  const { currency, timezone } = model.app;
  const context = { currency, timezone, today: todayIn(timezone) };
  const readers = new Map(
    seededFields(entity).map((field) => [field, storedValue(field, context)] as const),
  );
  return cells.map((row, at) => {
    const made: FixedRow["row"] = { id: at + 1 };
    const links = new Map<string, number[]>();
    for (const field of entity.fields) {
      const cell = row[field.name] ?? "";
      const place = `row ${at + 1} for ${entity.name}, ${field.name}`;
      if (isMany(field) || isReference(field)) {
        const known = numbers.get(field.type.entity);
        const found = cell === "" ? [] : cell.split("\n").map((key) => numberOf(known, key, place));
        if (isMany(field)) links.set(field.name, found);
        else made[columnOf(field)] = found[0] ?? null;
        continue;
      }
      const value = readers.get(field)?.(cell);
      if (typeof value === "object" && value !== null) {
        throw new Failure("input", `${place}: ${JSON.stringify(cell)} is ${value.reason}`);
      }
      if (value !== undefined) made[columnOf(field)] = value;
    }
    return { row: made, links };
  });
}

/** The number of the row that has a key. */
function numberOf(
  numbers: ReadonlyMap<string, number> | undefined,
  key: string,
  place: string,
): number {
  const number = numbers?.get(key.toLowerCase());
  if (number !== undefined) return number;
  const help = "files of sample rows hold only what the model and they themselves have";
  throw new Failure("input", `${place}: there is no ${JSON.stringify(key)}`, help);
}

/** The same rows as what is there before sample rows are made. */
export function presentRows(entity: Entity, given: readonly FixedRow[]): Present {
  const lifetime = lifetimesOf(entity);
  const rows = given.map(({ row }) => row);
  return {
    ids: rows.map(({ id }) => Number(id)),
    highest: rows.length,
    made: 0,
    ...(lifetime && { lifetimes: rows.map(lifetime) }),
    values: new Map(
      seededFields(entity).map((field) => [
        columnOf(field),
        rows.map((row) => row[columnOf(field)] ?? null),
      ]),
    ),
  };
}
