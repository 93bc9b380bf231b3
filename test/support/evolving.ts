import { join } from "node:path";
import { expect } from "vitest";
import { applyMigrations, type Migration, rewindMigration } from "../../kit/database/migrations.ts";
import { RowsInTheWay } from "../../kit/database/running.ts";
import { difference } from "../../src/core/evolution/difference.ts";
import type { Model } from "../../src/core/model/model.ts";
import { schemaOf, tableOf } from "../../src/core/schema/from-model.ts";
import { type Schema, tableNamed } from "../../src/core/schema/schema.ts";
import { seedEntity, seedingPlan } from "../../src/core/seeding/rows.ts";
import { folded, isOrdered, orderColumn } from "../../src/core/sql/sqlite/ordering.ts";
import type { Catalogue, Engine } from "../../src/io/engines/engine.ts";
import { migrationOf } from "../../src/io/project/migrations.ts";
import { pairOfModels } from "./pairs.ts";

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

async function fillWith(engine: Engine, model: Model, seed: number): Promise<void> {
  const records = new Map<string, readonly number[]>();
  const stamp = { created_at: "2026-01-01T00:00:00Z", updated_at: "2026-01-01T00:00:00Z" };
  for (const { entity, count } of seedingPlan(model)) {
    const { rows, links } = seedEntity(entity, count, { seed, today: "2026-05-03", records });
    const table = tableOf(entity.name);
    const texts = (tableNamed(schemaOf(model), table)?.columns ?? []).filter(
      ({ type, checks = [] }) =>
        type.kind === "text" && checks.every(({ kind }) => kind !== "one of"),
    );
    const ids = await engine.insert(
      table,
      rows.map((row, at) => ({
        ...row,
        ...Object.fromEntries(
          texts.flatMap(({ name }) => (name in row ? [[name, accented(row[name], at)]] : [])),
        ),
        ...stamp,
      })),
    );
    records.set(entity.name, ids);
    for (const { table, from, to, pairs } of links) {
      const numbered = pairs.map(([row, target]) => [ids[row] ?? 0, target] as const);
      await engine.insertPairs(table, [from, to], numbered);
    }
  }
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
  const names = plain.changes.flatMap(({ table, column, throwsAway, steps }) => [
    throwsAway ?? "",
    `${table}.${column}`,
    ...steps.flatMap((step) => (step.kind === "links to reference" ? [step.links] : [])),
  ]);
  const { steps, changes } = difference(from, after, { throwAway: new Set(names) });
  if (changes.some(({ impossible }) => impossible)) return "impossible";
  const next = migrationOf("0002-next", steps, engine.dialect, from);
  const migrations: Migration[] = [begin, next];
  const context = `${texts.join("\n")}\n${next.forward}\n-- BACK\n${next.back}`;
  await applyMigrations(engine.migrations, [begin], options);
  await fillWith(engine, before, seed);
  await expectOrders(engine, from, context);
  const rows = await contentOf(engine, from);
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
  for (const { name, was } of after.entities) {
    const left = after.entities.some((other) => other.was === name);
    const old = left ? undefined : tableNamed(from, tableOf(was ?? name));
    if (!old || old.key.length > 1) continue;
    const count = await engine.count(`select 1 from ${engine.dialect.quoted(tableOf(name))}`);
    expect(count, context).toBeGreaterThanOrEqual(rows.get(old.name)?.length ?? 0);
  }
  try {
    await rewindMigration(engine.migrations, next, options);
  } catch (error) {
    throw new Error(`seed ${seed}, back: ${(error as Error).message}\n${context}`);
  }
  expect(sorted(await engine.catalogue()), context).toEqual(catalogue);
  expect(await contentOf(engine, from), context).toEqual(rows);
  await expectOrders(engine, from, context);
  return "moved";
}
