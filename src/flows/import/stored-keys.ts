import { existsSync } from "node:fs";
import { type Entity, type Model, targetsOf } from "../../core/model/model.ts";
import { columnOf, tableOf } from "../../core/schema/from-model.ts";
import { keyField } from "../../core/tabular/entity-keys.ts";
import { joinedKeys, type KeyFinder, KeySet } from "../../core/tabular/keys.ts";
import type { Engine } from "../../io/engines/engine.ts";
import { dataFile, type Project } from "../../io/project/project.ts";
import { readDataFile } from "../../io/sheets/data-files.ts";
import { hasDatabase, withDatabase } from "../database.ts";

/** The keys of what sheets become or can refer to and that is there already: in data files, and in the database. */
export async function storedKeys(
  project: Project,
  model: Model,
  /** Entities of which every key is asked for, whether others refer to them or not. */
  own: readonly Entity[],
): Promise<Map<string, KeyFinder>> {
  const targets = new Set(model.entities.flatMap((entity) => [...targetsOf(entity)]));
  const entities = model.entities.filter(
    (entity) => targets.has(entity.name) || own.includes(entity),
  );
  const found = new Map<string, KeyFinder>(
    entities.map((entity) => [entity.name, keysOnFile(project, entity)]),
  );
  if (!(await hasDatabase(project))) return found;
  return withDatabase(project, async (engine) => {
    for (const entity of entities) {
      const keys = await keysInDatabase(engine, entity);
      found.set(entity.name, joinedKeys([keys, found.get(entity.name) ?? keys]));
    }
    return found;
  });
}

async function keysInDatabase(engine: Engine, entity: Entity): Promise<KeySet> {
  const keys = new KeySet();
  const key = keyField(entity);
  if (!key || !(await engine.hasTable(tableOf(entity.name)))) return keys;
  for (const value of await engine.values(tableOf(entity.name), columnOf(key))) {
    if (value !== null) keys.add(String(value), 0, 0);
  }
  return keys;
}

function keysOnFile(project: Project, entity: Entity): KeySet {
  const keys = new KeySet();
  const key = keyField(entity);
  const path = dataFile(project, entity.name);
  if (!key || !existsSync(path)) return keys;
  for (const { rows, header } of readDataFile(path, `data/${entity.name}.csv`)) {
    const column = header.indexOf(key.name);
    if (column < 0) return keys;
    for (const row of rows) {
      const value = row[column];
      if (typeof value === "string" && value !== "") keys.add(value, 0, 0);
    }
  }
  return keys;
}
