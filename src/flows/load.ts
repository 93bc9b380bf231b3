import { createHash } from "node:crypto";
import { createReadStream, existsSync } from "node:fs";
import { pipeline } from "node:stream/promises";
import { configure } from "../../kit/settings.ts";
import { now, today, toUtc } from "../../kit/time.ts";
import { Failure } from "../core/failure.ts";
import {
  type Entity,
  entityNamed,
  type Field,
  isComputed,
  isMany,
  isReference,
  type Model,
} from "../core/model/model.ts";
import { nearest } from "../core/naming/nearest.ts";
import { columnOf, inOrder, linkOf, tableOf } from "../core/schema/from-model.ts";
import type { Value } from "../core/seeding/values.ts";
import { columnLetters } from "../core/tabular/cells.ts";
import { keyField } from "../core/tabular/conversion.ts";
import { type ValueContext, valueReader } from "../core/tabular/values.ts";
import type { Engine } from "../io/engines/engine.ts";
import type { KeyedTable, LoadCounts, Loader, LoadRow, LoadTarget } from "../io/engines/loading.ts";
import { fileFailure } from "../io/project/files.ts";
import { dataFile, type Project } from "../io/project/project.ts";
import { readDataFile } from "../io/sheets/data-files.ts";
import { withDatabase } from "./database.ts";
import type { Report } from "./report.ts";
import { requireRules } from "./row-rules.ts";

/** A file with rows of an entity. */
export interface DataFile {
  entity: Entity;
  path: string;
  checksum: string;
}

/** What loading did with an entity's rows. */
export interface Loaded extends LoadCounts {
  entity: string;
  plural: string;
  /** How many rows the file has. */
  rows: number;
}

/** What to do beyond adding and changing rows. */
export interface LoadOptions {
  /** Delete the rows that the files don't have, apart from those that were changed in the application. */
  deleteMissing?: boolean;
  /** Find out only what would be done. */
  dry?: boolean;
}

/** The data files of a project that its database hasn't taken yet, or not as they are now. */
export async function pendingData(project: Project, model: Model): Promise<DataFile[]> {
  const files: DataFile[] = [];
  for (const entity of model.entities) {
    const path = dataFile(project, entity.name);
    if (existsSync(path)) files.push({ entity, path, checksum: await checksumOf(path) });
  }
  if (files.length === 0) return [];
  const loaded = await withDatabase(project, loadedChecksums);
  return files.filter(({ entity, checksum }) => loaded.get(entity.name) !== checksum);
}

/** The checksum of the file that each entity's rows were loaded from last. */
export async function loadedChecksums(engine: Engine): Promise<Map<string, string>> {
  return new Map((await engine.loads()).map(({ entity, checksum }) => [entity, checksum]));
}

export async function checksumOf(path: string): Promise<string> {
  const hash = createHash("sha256");
  try {
    await pipeline(createReadStream(path), hash);
  } catch (error) {
    throw fileFailure("read", path, error);
  }
  return hash.digest("hex");
}

/** Ends a transaction that only was to find something out. */
class OnlyLooked extends Error {
  constructor(readonly loaded: Loaded[]) {
    super();
  }
}

/** Loads data files: all of them, or nothing. Rows that were changed in the application stay as they are. */
export async function loadData(
  project: Project,
  model: Model,
  files: readonly DataFile[],
  { deleteMissing = false, dry = false }: LoadOptions,
  report: Report,
): Promise<Loaded[]> {
  if (files.length === 0) return [];
  configure(model.app);
  return withDatabase(project, async (engine) => {
    try {
      return await engine.transaction(async () => {
        const loaded = await loadAll(engine, model, files, deleteMissing, report);
        const entities = files.map(({ entity }) => entity);
        const moments = { today: today(), now: now() };
        await requireRules(
          engine,
          model,
          entities,
          moments,
          "correct the data; nothing of it was loaded",
        );
        if (dry) throw new OnlyLooked(loaded);
        return loaded;
      });
    } catch (error) {
      if (error instanceof OnlyLooked) return error.loaded;
      throw error;
    }
  });
}

async function loadAll(
  engine: Engine,
  model: Model,
  files: readonly DataFile[],
  deleteMissing: boolean,
  report: Report,
): Promise<Loaded[]> {
  const moment = now();
  const loader = engine.loader({ moment, deleteMissing });
  const order = inOrder(model);
  const sorted = [...files].sort((a, b) => order.indexOf(a.entity) - order.indexOf(b.entity));
  const rows = new Map<string, number>();
  const present = new Set<string>();
  for (const { entity, path } of sorted) {
    // A reference to what comes later, or to its own table, is settled at the end.
    const later = new Set(
      sorted.map((file) => file.entity.name).filter((name) => !present.has(name)),
    );
    const reader = new DataReader(model, entity, path, later);
    try {
      await loader.take(reader.target, reader.read(report));
    } catch (error) {
      throw reader.explain(engine, error as Error);
    }
    rows.set(entity.name, reader.rows);
    present.add(entity.name);
  }
  const counts = await finished(engine, loader);
  for (const { entity, checksum } of sorted) {
    await engine.noteLoad(entity.name, checksum, moment);
  }
  return sorted.map(({ entity }) => ({
    entity: entity.name,
    plural: entity.plural,
    rows: rows.get(entity.name) ?? 0,
    ...(counts.get(tableOf(entity.name)) as LoadCounts),
  }));
}

async function finished(engine: Engine, loader: Loader): Promise<Map<string, LoadCounts>> {
  try {
    return await loader.finish();
  } catch (error) {
    if (engine.refusal(error)?.reason !== "reference") throw error;
    throw new Failure(
      "input",
      "rows that the files don't have can't be deleted, because others refer to them",
      "leave --delete-missing out, or change the rows that refer first; nothing was changed",
    );
  }
}

/** Reads a data file into rows for the database. */
class DataReader {
  readonly target: LoadTarget;
  readonly #name: string;
  readonly #header: string[];
  readonly #fields: Field[];
  rows = 0;

  constructor(
    readonly model: Model,
    readonly entity: Entity,
    readonly path: string,
    later: ReadonlySet<string>,
  ) {
    this.#name = `data/${entity.name}.csv`;
    const [first] = readDataFile(path, this.#name);
    if (!first)
      throw new Failure("input", `${this.#name} has no header`, "its first line names the fields");
    this.#header = first.header;
    this.#fields = this.#header.map((name, at) => this.#field(name, at));
    const single = this.#fields.filter((field) => !isMany(field));
    const key = keyField(entity);
    const keyAt = key ? single.indexOf(key) : -1;
    this.target = {
      table: tableOf(entity.name),
      columns: single.map((field) => ({
        name: columnOf(field),
        ...(isReference(field) && {
          reference: {
            ...this.#keyed(field.type.entity, field),
            late: later.has(field.type.entity),
          },
        }),
      })),
      key: keyAt < 0 ? undefined : keyAt,
      links: this.#fields.filter(isMany).map((field) => {
        const { table, from, to } = linkOf(entity, field);
        return { table, from, to, target: this.#keyed(field.type.entity, field) };
      }),
    };
  }

  #field(name: string, at: number): Field {
    const fields = this.entity.fields.filter((candidate) => !isComputed(candidate));
    const field = fields.find((candidate) => candidate.name === name);
    const twice = this.#header.indexOf(name) !== at;
    if (field && !twice) return field;
    const close = nearest(
      name,
      fields.map((each) => each.name),
    );
    throw new Failure(
      "input",
      `${this.#name}, cell ${columnLetters(at)}1: ${twice ? `\`${name}\` stands in the header twice` : `${this.entity.name} has no field \`${name}\``}`,
      close && !twice ? `did you mean \`${close}\`?` : "correct the header, or the model",
    );
  }

  #keyed(name: string, field: Field): KeyedTable {
    const target = entityNamed(this.model, name);
    const key = keyField(target);
    if (key) return { table: tableOf(name), key: columnOf(key) };
    throw new Failure(
      "input",
      `${this.#name}: ${this.entity.name}.${field.name} refers to ${name}, whose records nothing tells apart`,
      `give ${name} a unique field`,
    );
  }

  /** The rows, every value of which fits its field; throws at the first cell that doesn't. */
  *read(report: Report): Generator<LoadRow[]> {
    const context = { currency: this.model.app.currency, today: today() };
    const readers = this.#fields.map((field) =>
      isMany(field) ? undefined : storedValue(field, context),
    );
    this.rows = 0;
    for (const { rows, first, share } of readDataFile(this.path, this.#name)) {
      const made: LoadRow[] = [];
      for (const [index, row] of rows.entries()) {
        const values: Value[] = [];
        const links: string[][] = [];
        for (let at = 0; at < readers.length; at++) {
          const cell = (row[at] as string | undefined) ?? "";
          const read = readers[at];
          if (!read) links.push(cell ? cell.split("\n") : []);
          else {
            const value = read(cell);
            if (typeof value === "object" && value !== null)
              throw this.#misfit(at, first + index, cell, value.reason);
            values.push(value);
          }
        }
        made.push({ values, links });
      }
      yield made;
      this.rows += rows.length;
      report({ kind: "progress", on: `loading ${this.entity.plural}`, rows: this.rows, share });
    }
  }

  #misfit(at: number, row: number, cell: string, reason: string): Failure {
    const place = `${this.#name}, cell ${columnLetters(at)}${row}`;
    const what = cell === "" ? reason : `${JSON.stringify(cell.slice(0, 60))} is ${reason}`;
    return new Failure("input", `${place}: ${what}`, "correct the file; nothing of it was loaded");
  }

  /** An error of the database, where the rows are the reason for it. */
  explain(engine: Engine, error: Error): Error {
    const names = this.target.columns.map(({ name }) => name);
    const { reason, columns } = engine.refusal(error, names) ?? {};
    if (reason !== "unique") return error;
    return new Failure(
      "input",
      `${this.#name}: a value of ${columns?.join(" and ")}, which must be the only one, is there already`,
      "correct the file; nothing of it was loaded",
    );
  }
}

/** How a cell of a data file is stored: its value, or why it can't be. Texts that come again are read once. */
function storedValue(
  field: Field,
  context: ValueContext,
): (cell: string) => Value | { reason: string } {
  const read = valueReader(field, {}, context);
  const store = storing(field);
  const missing = field.required
    ? { reason: `${field.label} is required, and there is no value` }
    : null;
  const known = new Map<string, Value | { reason: string }>();
  return (cell) => {
    if (cell === "") return field.type.kind === "boolean" ? false : missing;
    const before = known.get(cell);
    if (before !== undefined) return before;
    const found = read(cell);
    const value = "text" in found ? store(found.text) : found;
    if (known.size < 20_000) known.set(cell, value);
    return value;
  };
}

/** How the text of a value that fits is stored. */
function storing({ type }: Field): (text: string) => Value {
  switch (type.kind) {
    case "integer":
    case "decimal":
    case "money":
    case "percent":
      return Number;
    case "boolean":
      return (text) => text === "yes";
    case "datetime":
      return (text) =>
        text.endsWith("Z") ? text.replace(/(T\d\d:\d\d)Z$/, "$1:00Z") : toUtc(text);
    default:
      return (text) => text;
  }
}
