import { createHash } from "node:crypto";
import { createReadStream, existsSync, rmSync } from "node:fs";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import { now, todayIn } from "../../../kit/formula/clock.ts";
import { nearest } from "../../../kit/formula/nearest.ts";
import { Failure } from "../../core/failure.ts";
import { isFiles } from "../../core/fields/files.ts";
import { ruleOf } from "../../core/fields/types.ts";
import {
  type Moment,
  type RowLocalRule,
  rowLocalRules,
} from "../../core/formula/row-local-rules.ts";
import { toldRule } from "../../core/formula/rules.ts";
import {
  type Entity,
  entityNamed,
  type Field,
  freesUnique,
  isComputed,
  isMany,
  isNeeded,
  isReference,
  type Model,
} from "../../core/model/model.ts";
import { columnOf, linkOf, parentsFirst, tableOf } from "../../core/schema/from-model.ts";
import { fixedTable, fixedText } from "../../core/seeding/fixed.ts";
import type { Value } from "../../core/seeding/value.ts";
import { columnLetters } from "../../core/tabular/cells.ts";
import { keyField, matchingFields } from "../../core/tabular/entity-keys.ts";
import { type ValueContext, valueReader } from "../../core/tabular/values.ts";
import type { Engine } from "../../io/engines/engine.ts";
import type {
  KeyedTable,
  LoadCounts,
  Loader,
  LoadRow,
  LoadTarget,
} from "../../io/engines/loading.ts";
import { fileFailure } from "../../io/project/files.ts";
import { dataFile, type Project } from "../../io/project/project.ts";
import { readDataFile } from "../../io/sheets/data-files.ts";
import { withDatabase } from "../database.ts";
import { type NamedFiles, takeNamedFiles } from "../files/named-files.ts";
import type { Report } from "../report.ts";
import { deleteRows } from "../rows/clear-rows.ts";
import { requireOneOrganisation } from "../rows/one-organisation.ts";
import { requireRules } from "../rows/row-rules.ts";
import { readSeedingRecord } from "../seed/record.ts";
import type { DataSource } from "./data-source.ts";
import type { Loaded } from "./loaded.ts";

/** What to do beyond adding and changing rows. */
export interface LoadOptions {
  /** Delete the rows that the files don't have, apart from those that were changed in the application. */
  deleteMissing?: boolean;
  /** Find out only what would be done. */
  dry?: boolean;
  /** Where files are that aren't in the folder data/ yet. */
  folders?: readonly string[];
}

/** The file of an entity's rows, as a source. */
export async function fileSource(entity: Entity, path: string): Promise<DataSource> {
  const name = `data/${entity.name}.csv`;
  return {
    entity,
    name,
    remembered: entity.name,
    checksum: await checksumOf(path),
    whole: true,
    read: () => readDataFile(path, name),
  };
}

/** The rows that the model asks for: those that are in it, and those of the file that it names. */
export async function seedSources(
  project: Project,
  model: Model,
  entity: Entity,
): Promise<DataSource[]> {
  const sources: DataSource[] = [];
  const { file } = entity.seed ?? {};
  if (file !== undefined) {
    const [path, name] = [join(project.data, file), `data/${file}`];
    if (!existsSync(path)) {
      const help = `put it there, or correct \`seed\` of ${entity.name} in the model`;
      throw new Failure("input", `${name} is not there`, help);
    }
    sources.push({
      entity,
      name,
      remembered: `${entity.name} ${file}`,
      checksum: await checksumOf(path),
      whole: false,
      read: () => readDataFile(path, name),
    });
  }
  // The day of the first seeding, so that rows don't change with the day on which they are looked at.
  const day = readSeedingRecord(project).today ?? todayIn(model.app.timezone);
  const fixed = fixedTable(entity, { today: day, now: `${day}T12:00` });
  if (fixed) {
    sources.push({
      entity,
      name: `seed of ${entity.name} in the model`,
      remembered: `${entity.name} fixed`,
      checksum: createHash("sha256").update(fixedText(entity)).digest("hex"),
      whole: false,
      *read() {
        yield { ...fixed, first: 1, share: 1 };
      },
    });
  }
  return sources;
}

/** Whether a project has data files. */
export function hasDataFiles(project: Project, model: Model): boolean {
  return model.entities.some(({ name }) => existsSync(dataFile(project, name)));
}

/** What a project's database hasn't taken yet, or not as it is now: data files, and rows that the model asks for. */
export async function pendingData(project: Project, model: Model): Promise<DataSource[]> {
  const sources: DataSource[] = [];
  for (const entity of model.entities) {
    const path = dataFile(project, entity.name);
    if (existsSync(path)) sources.push(await fileSource(entity, path));
    sources.push(...(await seedSources(project, model, entity)));
  }
  if (sources.length === 0) return [];
  const loaded = await withDatabase(project, loadedChecksums);
  return sources.filter(({ remembered, checksum }) => loaded.get(remembered) !== checksum);
}

/** The checksum of what was loaded last of each source. */
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

/** Rolls back a transaction that was only a trial. */
class OnlyLooked extends Error {
  constructor(readonly loaded: Loaded[]) {
    super();
  }
}

/** Loads rows from sources: all of them, or none. Rows that were changed in the application stay as they are. */
export async function loadData(
  project: Project,
  model: Model,
  sources: readonly DataSource[],
  { deleteMissing = false, dry = false, folders = [] }: LoadOptions,
  report: Report,
): Promise<Loaded[]> {
  if (sources.length === 0) return [];
  const all = deleteMissing ? await withSeedSources(project, model, sources) : sources;
  const deletion: Deletion | undefined = deleteMissing ? { project } : undefined;
  const named = await takeNamedFiles(project, all, { dry, folders });
  return withDatabase(project, async (engine) => {
    try {
      const done = await engine.transaction(async () => {
        const loaded = await loadSources(engine, model, all, { deletion, named }, report);
        if (dry) throw new OnlyLooked(loaded);
        return loaded;
      });
      if (deletion?.kept) report({ kind: "kept rows", folder: deletion.kept });
      return done;
    } catch (error) {
      // No rows were deleted, so nothing is kept.
      if (deletion?.kept) rmSync(deletion.kept, { recursive: true, force: true });
      if (error instanceof OnlyLooked) return error.loaded;
      throw error;
    }
  });
}

/** Some sources, and what the model asks for of the same entities: so those rows aren't missing. */
async function withSeedSources(
  project: Project,
  model: Model,
  sources: readonly DataSource[],
): Promise<DataSource[]> {
  const known = new Set(sources.map(({ remembered }) => remembered));
  const more: DataSource[] = [];
  for (const entity of new Set(sources.map((source) => source.entity))) {
    for (const source of await seedSources(project, model, entity)) {
      if (!known.has(source.remembered)) more.push(source);
    }
  }
  return [...sources, ...more];
}

/** Deletes the rows that the files don't have, and keeps them in a folder of the project. */
interface Deletion {
  project: Project;
  /** That folder, where there were any. */
  kept?: string;
}

/** Loads rows within a transaction of the caller's, and holds their entities to their rules. */
export async function loadSources(
  engine: Engine,
  model: Model,
  sources: readonly DataSource[],
  { deletion, named }: { deletion?: Deletion | undefined; named: NamedFiles },
  report: Report,
): Promise<Loaded[]> {
  await requireOneOrganisation(engine, model);
  const moments = { today: todayIn(model.app.timezone), now: now() };
  const loaded = await loadAll(engine, model, sources, { deletion, moments, named }, report);
  const entities = [...new Set(sources.map(({ entity }) => entity))];
  const help = "correct the data; nothing of it was loaded";
  await requireRules(engine, model, entities, moments, help);
  return loaded;
}

async function loadAll(
  engine: Engine,
  model: Model,
  sources: readonly DataSource[],
  {
    deletion,
    moments,
    named,
  }: { deletion: Deletion | undefined; moments: Moment; named: NamedFiles },
  report: Report,
): Promise<Loaded[]> {
  const moment = now();
  const plurals = new Map(model.entities.map(({ name, plural }) => [tableOf(name), plural]));
  const loader = engine.loader({
    moment,
    indexing: (table, share) =>
      report({ kind: "working", on: `making the indexes of ${plurals.get(table)}`, share }),
  });
  const order = parentsFirst(model);
  const sorted = [...sources].sort((a, b) => order.indexOf(a.entity) - order.indexOf(b.entity));
  const rows: number[] = [];
  const matched: boolean[] = [];
  const present = new Set<string>();
  for (const source of sorted) {
    const { entity } = source;
    // A reference to a table that is loaded later, or to its own, is settled at the end.
    const later = new Set(
      sorted.map((each) => each.entity.name).filter((name) => !present.has(name)),
    );
    const reader = new DataReader(model, source, later, moments, named);
    try {
      await loader.take(reader.target, reader.read(report));
    } catch (error) {
      throw reader.explain(engine, error as Error);
    }
    rows.push(reader.rows);
    matched.push(reader.target.key.length > 0);
    present.add(entity.name);
  }
  const deleted = deletion ? await deleteMissing(engine, deletion, model, loader) : new Map();
  const counts = await loader.finish();
  for (const { entity, remembered, checksum } of sorted) {
    await engine.noteLoad(remembered, tableOf(entity.name), checksum, moment);
  }
  return sorted.map(({ entity, whole }, at) => {
    const found = counts[at] as LoadCounts;
    return {
      entity: entity.name,
      plural: entity.plural,
      rows: rows[at] ?? 0,
      isMatched: matched[at] ?? false,
      ...found,
      deleted: (whole && deleted.get(tableOf(entity.name))) || 0,
      missing: whole ? found.missing : 0,
    };
  });
}

/** Deletes the rows that the files don't have, and keeps them. Returns how many there were, by table. */
async function deleteMissing(
  engine: Engine,
  deletion: Deletion,
  model: Model,
  loader: Loader,
): Promise<Map<string, number>> {
  const missing = await loader.missing();
  const going = new Map<Entity, (alias: string) => string>();
  for (const entity of model.entities) {
    const found = missing.get(tableOf(entity.name));
    // Some databases can't delete from a table that the statement also reads, so the numbers are selected first.
    if (found && found.count > 0) {
      going.set(entity, (alias) => `${alias}.id in (select m.id from (${found.query}) m)`);
    }
  }
  if (going.size > 0) {
    const kept = await deleteRows(engine, deletion.project, model, going, "import");
    if (kept) deletion.kept = kept;
  }
  return new Map([...missing].map(([table, { count }]) => [table, count]));
}

/** Reads a source into rows for the database. */
class DataReader {
  readonly target: LoadTarget;
  readonly entity: Entity;
  readonly #name: string;
  readonly #header: string[];
  readonly #fields: Field[];
  readonly #rules: RowLocalRule[];
  rows = 0;

  constructor(
    readonly model: Model,
    readonly source: DataSource,
    later: ReadonlySet<string>,
    moments: Moment,
    readonly named: NamedFiles,
  ) {
    const { entity } = source;
    this.entity = entity;
    this.#name = source.name;
    const [first] = source.read();
    if (!first)
      throw new Failure("input", `${this.#name} has no header`, "its first line names the fields");
    this.#header = first.header;
    this.#fields = this.#header.map((name, at) => this.#field(name, at));
    const single = this.#fields.filter((field) => !isMany(field));
    const given = new Set(single.map(columnOf));
    // Rules that need columns the file lacks are checked in the database.
    this.#rules = rowLocalRules(model, entity, moments).filter(({ columns }) =>
      columns.every((column) => given.has(column)),
    );
    const key = matchingFields(entity).map((field) => single.indexOf(field));
    // References that are resolved at the end can't be compared before.
    const isKnown = key.every((at) => {
      const field = single[at];
      return field && !(isReference(field) && later.has(field.type.entity));
    });
    this.target = {
      table: tableOf(entity.name),
      whole: source.whole,
      columns: single.map((field) => ({
        name: columnOf(field),
        ...(isReference(field) && {
          reference: {
            ...this.#keyed(field.type.entity, field),
            late: later.has(field.type.entity),
          },
        }),
      })),
      key: isKnown ? key : [],
      inUse: freesUnique(entity),
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
    if (key) return { table: tableOf(name), key: columnOf(key), inUse: freesUnique(target) };
    throw new Failure(
      "input",
      `${this.#name}: ${this.entity.name}.${field.name} refers to ${name}, whose records nothing tells apart`,
      `give ${name} a unique field`,
    );
  }

  /** The rows, every value of which fits its field; throws at the first cell that doesn't. */
  *read(report: Report): Generator<LoadRow[]> {
    const { currency, timezone } = this.model.app;
    const context = { currency, timezone, today: todayIn(timezone) };
    const readers = this.#fields.map((field) =>
      isMany(field) ? undefined : this.#stored(field, context),
    );
    this.rows = 0;
    for (const { rows, first, share } of this.source.read()) {
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
        this.#require(values, first + index);
        made.push({ values, links });
      }
      yield made;
      this.rows += rows.length;
      report({ kind: "progress", on: `loading ${this.entity.plural}`, rows: this.rows, share });
    }
  }

  /** How a cell of a field is stored: files as what they are called in the store. */
  #stored(field: Field, context: ValueContext & { timezone: string }) {
    if (!isFiles(field.type)) return storedValue(field, context);
    const read = storedValue(field, context);
    return (cell: string) => (cell === "" ? read(cell) : this.named(field, cell));
  }

  /** Throws where a row violates a rule. */
  #require(values: readonly Value[], at: number): void {
    if (this.#rules.length === 0) return;
    const row = Object.fromEntries(
      this.target.columns.map(({ name }, index) => [name, values[index] ?? null]),
    );
    const broken = this.#rules.find(({ holds }) => !holds(row));
    if (!broken) return;
    throw new Failure(
      "input",
      `${this.#name}, row ${at}: it would break a rule: ${toldRule(this.entity, broken.rule)}`,
      "correct the file; nothing of it was loaded",
    );
  }

  #misfit(at: number, row: number, cell: string, reason: string): Failure {
    const place = `${this.#name}, cell ${columnLetters(at)}${row}`;
    const what = cell === "" ? reason : `${JSON.stringify(cell.slice(0, 60))} is ${reason}`;
    return new Failure("input", `${place}: ${what}`, "correct the file; nothing of it was loaded");
  }

  /** New rows can't be without a field that they need and the file has no column for. */
  #lacking(error: Error): Error {
    const lacking = this.entity.fields.filter(
      (field) => isNeeded(field) && !this.#fields.includes(field),
    );
    if (lacking.length === 0 || error instanceof Failure) return error;
    const names = lacking.map(({ name }) => `\`${name}\``).join(" and ");
    return new Failure(
      "input",
      `${this.#name} has no column for ${names}, which every new row needs`,
      "add it to the file, or let the field be without a value in the model; nothing of the file was loaded",
    );
  }

  /** An error of the database, where the rows are the reason for it. */
  explain(engine: Engine, error: Error): Error {
    const names = this.target.columns.map(({ name }) => name);
    const { reason, columns, check } = engine.constraintViolation(error, names) ?? {};
    const broken = this.entity.checks?.find(({ name }) => name === check);
    if (broken) {
      return new Failure(
        "input",
        `${this.#name}: a row would break a rule: ${broken.holds}`,
        "correct the file; nothing of it was loaded",
      );
    }
    if (reason !== "unique") return this.#lacking(error);
    return new Failure(
      "input",
      `${this.#name}: a value of ${columns?.join(" and ")}, which must be the only one, is there already`,
      "correct the file; nothing of it was loaded",
    );
  }
}

/** How a cell of a data file is stored: its value, or why it can't be. Texts that come again are read once. */
export function storedValue(
  field: Field,
  context: ValueContext & { timezone: string },
): (cell: string) => Value | { reason: string } {
  const read = valueReader(field, {}, context);
  const stored = ruleOf(field.type).storage?.value;
  if (!stored) throw new Error(`a ${field.type.kind} is in no column`);
  const missing = field.required
    ? { reason: `${field.label} is required, and there is no value` }
    : null;
  const known = new Map<string, Value | { reason: string }>();
  return (cell) => {
    if (cell === "") return field.type.kind === "boolean" ? false : missing;
    const before = known.get(cell);
    if (before !== undefined) return before;
    const found = read(cell);
    const value = "text" in found ? stored(found.text, context.timezone) : found;
    if (known.size < 20_000) known.set(cell, value);
    return value;
  };
}
