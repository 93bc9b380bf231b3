import { join } from "node:path";
import { expect } from "vitest";
import { written } from "../../kit/database/mariadb/timestamps.ts";
import { folded, orderColumn } from "../../kit/database/sqlite/text-order.ts";
import {
  applyMigrations,
  type Migration,
  rewindMigration,
} from "../../kit/migrations/migrations.ts";
import { RowsInTheWay } from "../../kit/migrations/script-runner.ts";
import { difference } from "../../src/core/evolution/difference.ts";
import { type Entity, isMany, type Model } from "../../src/core/model/model.ts";
import { linkOf, schemaOf, tableOf } from "../../src/core/schema/from-model.ts";
import { type Schema, tableNamed } from "../../src/core/schema/schema.ts";
import { usualCounts } from "../../src/core/seeding/plan.ts";
import { type EntitySample, Sampling } from "../../src/core/seeding/sampling.ts";
import type { Value } from "../../src/core/seeding/value.ts";
import { isOrdered } from "../../src/core/sql/sqlite/ordering.ts";
import type { Catalogue, Engine } from "../../src/io/engines/engine.ts";
import { migrationOf } from "../../src/io/project/migrations.ts";
import { pairOfModels } from "./pairs.ts";
import {
  type Cell,
  type Content,
  type Edit,
  editsOf,
  expectedCells,
  linkText,
} from "./plain-moves.ts";

/** The whole content of the tables of a schema, row by row, columns by name. */
export async function contentOf(
  engine: Engine,
  { tables }: Schema,
): Promise<Map<string, string[]>> {
  const content = new Map<string, string[]>();
  for (const { name, columns } of tables) {
    const names = columns.map((column) => column.name).sort();
    const rows = await engine.migrations.rows<Record<string, unknown>>(
      `select ${names.map(engine.dialect.quoted).join(", ")} from ${engine.dialect.quoted(name)}`,
    );
    content.set(name, rows.map((row) => JSON.stringify(names.map((each) => row[each]))).sort());
  }
  return content;
}

/** The same by numbers, as a plain evaluation reads it. */
async function cellsIn(engine: Engine, model: Model): Promise<Content> {
  const { quoted } = engine.dialect;
  const content: Content = { rows: new Map(), links: new Map() };
  for (const entity of model.entities) {
    const rows = await engine.migrations.rows<Record<string, Cell> & { id: number }>(
      `select * from ${quoted(tableOf(entity.name))}`,
    );
    content.rows.set(
      tableOf(entity.name),
      new Map(rows.map((row) => [Number(row.id), plainRow(row)])),
    );
    for (const field of entity.fields.filter(isMany)) {
      const { table, from, to } = linkOf(entity, field);
      const links = new Map<number, number[]>();
      for (const row of await engine.migrations.rows<Record<string, number>>(
        `select ${quoted(from)} as one, ${quoted(to)} as other from ${quoted(table)}`,
      )) {
        links.set(Number(row.one), [...(links.get(Number(row.one)) ?? []), Number(row.other)]);
      }
      content.links.set(table, links);
    }
  }
  return content;
}

function plainRow(row: Record<string, unknown>): Record<string, Cell> {
  return Object.fromEntries(
    Object.entries(row).map(([name, value]) => [
      name,
      typeof value === "boolean" || typeof value === "bigint" ? Number(value) : (value as Cell),
    ]),
  );
}

/** How many cells were compared with what they have to be. */
export const compared = { cells: 0 };

/** Holds every cell of a database against what a plain evaluation of the two models makes of the rows before. */
async function expectMoved(
  engine: Engine,
  [before, after]: readonly [Model, Model],
  rows: Content,
  context: string,
): Promise<void> {
  const now = await cellsIn(engine, after);
  for (const { table, id, column, cells } of expectedCells(before, after, rows)) {
    const links = now.links.get(table);
    const row = now.rows.get(table)?.get(id);
    const cell = links ? linkText(links.get(id)) : row?.[column];
    compared.cells++;
    if (cell === undefined || !cells.includes(cell)) {
      expect.fail(
        `${table} ${id}, ${column}: ${JSON.stringify(cell)} and not ${JSON.stringify(cells)}\n${context}`,
      );
    }
  }
}

/** Writes into a cell, as somebody does by hand. */
async function setCell(
  engine: Engine,
  { id, table, column, value }: { id: number; table: string; column: string; value: Cell },
  version: string,
): Promise<void> {
  const { name, quoted } = engine.dialect;
  const isMoment = name === "mariadb" && /T.*Z$/.test(String(value));
  await engine.migrations.rows(
    `update ${quoted(table)} set ${quoted(column)} = ?, version = version ${version} where id = ?`,
    [isMoment ? written(value) : value, id],
  );
}

/** Holds edits that were made before a way back against what they are to be after it, and undoes them. */
async function expectEdits(
  engine: Engine,
  before: Model,
  edits: readonly Edit[],
  context: string,
): Promise<void> {
  const now = await cellsIn(engine, before);
  for (const { id, back } of edits) {
    const cell = now.rows.get(back.table)?.get(id)?.[back.column];
    expect([back.table, id, back.column, cell], context).toEqual([
      back.table,
      id,
      back.column,
      back.value,
    ]);
    await setCell(engine, { ...back, id, value: back.before }, "- 1");
  }
}

function sorted(catalogue: Catalogue | undefined): unknown {
  return [...(catalogue ?? [])]
    .map(([name, { columns, indexes }]) => [name, [...columns].sort(), [...indexes].sort()])
    .sort();
}

/** A value with letters beyond ASCII, which differ in case from row to row. */
function accented(value: unknown, at: number): unknown {
  return typeof value === "string" ? value.replace(/e/i, at % 2 === 0 ? "É" : "é") : value;
}

/** Whether what texts are ordered by is right in every row, where it stands in a column of its own. */
async function expectOrders(engine: Engine, { tables }: Schema, context: string): Promise<void> {
  if (engine.dialect.name !== "sqlite") return;
  const { quoted } = engine.dialect;
  for (const table of tables) {
    for (const { name } of table.columns.filter(isOrdered)) {
      const right = `iif(${quoted(name)} glob '*[^ -~]*', ${folded(quoted(name))}, null)`;
      const wrong = `select 1 from ${quoted(table.name)} where ${quoted(orderColumn(name))} is not ${right}`;
      expect(await engine.count(wrong), `${table.name}.${name}\n${context}`).toBe(0);
    }
  }
}

/** Puts sample rows into the tables of a model, as seeding does; `changed` makes another row of each. */
export async function fillModel(
  engine: Engine,
  model: Model,
  seed: number,
  changed: (entity: Entity, row: Record<string, Value>, at: number) => Record<string, Value> = (
    _,
    row,
  ) => row,
): Promise<void> {
  const moment = "2026-05-03T07:00:00Z";
  const counts = usualCounts(model, "2026-05-03");
  const options = { seed, today: "2026-05-03", now: moment, counts, present: new Map() };
  const sampling = new Sampling(model, options);
  const samples: EntitySample[] = [];
  for (const sample of sampling.entities()) {
    const { entity, columns, first } = sample;
    const rows = [...sample.rows()].map((row, at) => changed(entity, row, at));
    const table = tableOf(entity.name);
    if (rows.length > 0) await engine.filler.fill({ table, columns, first, moment }, rows);
    await engine.filler.goOn(table);
    samples.push(sample);
  }
  for (const { entity, first, count } of samples) {
    const numbers = Array.from({ length: count }, (_, row) => row);
    for (const { table, columns, targets } of sampling.linksOf(entity)) {
      const [from, to] = columns;
      const pairs = numbers.flatMap((row) =>
        targets(row).map((target) => ({ [from]: first + row, [to]: target })),
      );
      await engine.filler.fill({ table, columns }, pairs);
    }
    for (const { column, value } of sampling.lateOf(entity)) {
      const values = numbers.map((row) => [first + row, value(row)] as const);
      await engine.filler.set(tableOf(entity.name), column, values);
    }
  }
}

/** The same, with letters beyond ASCII in every text. */
function fillAccented(engine: Engine, model: Model, seed: number): Promise<void> {
  const schema = schemaOf(model);
  return fillModel(engine, model, seed, ({ name }, row, at) => {
    const texts = (tableNamed(schema, tableOf(name))?.columns ?? []).filter(
      ({ type, checks = [] }) =>
        type.kind === "text" && checks.every(({ kind }) => kind !== "one of"),
    );
    const told = texts.flatMap(({ name }) =>
      name in row ? [[name, accented(row[name], at) as Value] as const] : [],
    );
    return { ...row, ...Object.fromEntries(told) };
  });
}

export type Outcome = "moved" | "refused" | "impossible";

/**
 * Migrates rows of a random model to another one and back: the schema must be that of a fresh database,
 * rows must stay, and the way back must give back everything.
 */
export async function thereAndBack(engine: Engine, folder: string, seed: number): Promise<Outcome> {
  const { texts, models } = pairOfModels(seed);
  const [before, after] = models;
  const from = schemaOf(before);
  const options = { keptFolder: join(folder, `kept-${seed}`) };
  const first = difference({ tables: [] }, before);
  const begin = migrationOf("0001-begin", first.steps, engine.dialect, { tables: [] });
  const plain = difference(from, after);
  // Everything that can be let go of is.
  const names = plain.changes.flatMap(({ table, column, lossAccepted, steps }) => [
    lossAccepted ?? "",
    `${table}.${column}`,
    ...steps.flatMap((step) => (step.kind === "links to reference" ? [step.links] : [])),
  ]);
  const { steps, changes } = difference(from, after, { acceptLoss: new Set(names) });
  if (changes.some(({ impossible }) => impossible)) return "impossible";
  const next = migrationOf("0002-next", steps, engine.dialect, from);
  const migrations: Migration[] = [begin, next];
  const context = `${texts.join("\n")}\n${next.forward}\n-- BACK\n${next.back}`;
  await applyMigrations(engine.migrations, [begin], options);
  await fillAccented(engine, before, seed);
  await expectOrders(engine, from, context);
  const rows = await contentOf(engine, from);
  const cells = await cellsIn(engine, before);
  const catalogue = sorted(await engine.catalogue());
  try {
    await applyMigrations(engine.migrations, migrations, options);
  } catch (error) {
    if (!(error instanceof RowsInTheWay)) {
      throw new Error(`seed ${seed}: ${(error as Error).message}\n${context}`);
    }
    expect(sorted(await engine.catalogue()), context).toEqual(catalogue);
    expect(await contentOf(engine, from), context).toEqual(rows);
    return "refused";
  }
  expect(sorted(await engine.catalogue()), context).toEqual(
    sorted(await engine.catalogueOf(schemaOf(after))),
  );
  await expectOrders(engine, schemaOf(after), context);
  await expectMoved(engine, models, cells, context);
  for (const { name, was } of after.entities) {
    // A name that was another's is taken for that other one, as long as this one was there.
    const left =
      after.entities.some((other) => other.was === name) ||
      (was !== undefined && before.entities.some((other) => other.name === name));
    const old = left ? undefined : tableNamed(from, tableOf(was ?? name));
    if (!old || old.key.length > 1) continue;
    const count = await engine.count(`select 1 from ${engine.dialect.quoted(tableOf(name))}`);
    expect(count, context).toBeGreaterThanOrEqual(rows.get(old.name)?.length ?? 0);
  }
  const edits = editsOf(before, after, cells);
  for (const { id, typed } of edits) await setCell(engine, { ...typed, id }, "+ 1");
  try {
    await rewindMigration(engine.migrations, next, options);
  } catch (error) {
    throw new Error(`seed ${seed}, back: ${(error as Error).message}\n${context}`);
  }
  await expectEdits(engine, before, edits, context);
  expect(sorted(await engine.catalogue()), context).toEqual(catalogue);
  expect(await contentOf(engine, from), context).toEqual(rows);
  await expectOrders(engine, from, context);
  return "moved";
}
