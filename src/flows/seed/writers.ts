import {
  type Entity,
  entityNamed,
  isMany,
  isReference,
  type Model,
  targetsOf,
} from "../../core/model/model.ts";
import { columnOf, parentsFirst, schemaOf, tableOf } from "../../core/schema/from-model.ts";
import { tableNamed } from "../../core/schema/schema.ts";
import { InsertWriter } from "../../core/seeding/insert.ts";
import { seededFields } from "../../core/seeding/rows.ts";
import type { EntitySample, Sampling } from "../../core/seeding/sampling.ts";
import type { Value } from "../../core/seeding/value.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import { keyField } from "../../core/tabular/entity-keys.ts";
import { inPieces } from "../../io/engines/filling.ts";
import { type StagedFiles, TextFile } from "../../io/project/staged-files.ts";
import { CsvWriter } from "../../io/sheets/data-files.ts";
import type { FixedRow } from "./fixed-rows.ts";

/** How sample rows are written into files. */
export const fileFormats = ["csv", "json", "sql"] as const;
export type FileFormat = (typeof fileFormats)[number];

/** A row by its columns. */
export type Row = Record<string, Value>;

/** The texts by which files refer to rows; their numbers, where no text is unique. */
export class KeyTexts {
  readonly #columns = new Map<string, string>();
  readonly #texts = new Map<string, string[]>();

  constructor(model: Model, wanted: boolean) {
    for (const entity of wanted ? model.entities : []) {
      for (const name of targetsOf(entity)) {
        const key = keyField(entityNamed(model, name));
        if (!key?.required) continue;
        this.#columns.set(name, columnOf(key));
        this.#texts.set(name, []);
      }
    }
  }

  /** The next row of an entity, whose numbers count from 1. */
  add({ name }: Entity, row: Row): void {
    const column = this.#columns.get(name);
    if (column) this.#texts.get(name)?.push(String(row[column]));
  }

  /** What the record with a number is called. */
  of(entity: string, id: Value): string {
    if (id === null || id === undefined) return "";
    return this.#texts.get(entity)?.[Number(id) - 1] ?? String(id);
  }

  /** Whether records of an entity are called by their numbers. */
  isNumbered(entity: string): boolean {
    return !this.#columns.has(entity);
  }
}

/** What rows are written with. */
export interface WriterSource {
  model: Model;
  files: StagedFiles;
  /** Tells what rows lead to. */
  sampling: Sampling;
  keys: KeyTexts;
  moment: string;
}

/** Writes rows in a format: entity by entity, each behind those that it refers to. */
export interface SeedWriter {
  entity(sample: EntitySample, before: readonly FixedRow[], rows: Iterable<Row>): void;
  end(): void;
}

/** How rows are written, by format. */
export const writers: Readonly<Record<FileFormat, (source: WriterSource) => SeedWriter>> = {
  csv: ({ files, sampling, keys }) => ({
    entity: (sample, before, rows) => {
      const { entity } = sample;
      const fields = [...seededFields(entity), ...entity.fields.filter(isMany)];
      const numbered = isReferredByNumber(sampling.model, entity, keys);
      const header = [...(numbered ? ["id"] : []), ...fields.map(({ name }) => name)];
      const file = new CsvWriter(files.begin(`${entity.name}.csv`), header);
      const write = (row: Row, links: ReadonlyMap<string, number[]>, id: number) =>
        file.write([
          ...(numbered ? [String(id)] : []),
          ...fields.map((field) => {
            if (isMany(field)) {
              const held = links.get(field.name) ?? [];
              return held.map((each) => keys.of(field.type.entity, each)).join("\n");
            }
            const value = row[columnOf(field)] ?? null;
            if (isReference(field)) return keys.of(field.type.entity, value);
            if (typeof value === "boolean") return value ? "yes" : "no";
            return value === null ? null : String(value);
          }),
        ]);
      eachRow(sampling, sample, before, rows, write);
      file.close();
    },
    end: () => undefined,
  }),
  json: ({ files, sampling }) => ({
    entity: (sample, before, rows) => {
      const file = new TextFile(files.begin(`${sample.entity.name}.json`));
      let begun = false;
      eachRow(sampling, sample, before, rows, (row, links, id) => {
        const { id: _, ...rest } = row;
        const record = { id, ...rest, ...Object.fromEntries(links) };
        file.write(`${begun ? ",\n" : "[\n"}  ${JSON.stringify(record)}`);
        begun = true;
      });
      file.write("\n]\n");
      file.close();
    },
    end: () => undefined,
  }),
  sql: ({ model, files, sampling, moment }) => {
    const dialect = dialectOf(model);
    const schema = schemaOf(model);
    const file = new TextFile(files.begin(`rows.${dialect.name}.sql`));
    file.write(`-- Sample rows for empty tables.\nbegin;\n`);
    const ends: (() => void)[] = [];
    const { quoted } = dialect;
    const set = (table: string, column: string, id: number, target: Value) => {
      if (target === null) return;
      file.write(
        `update ${quoted(table)} set ${quoted(column)} = ${target} where ${quoted("id")} = ${id};\n`,
      );
    };
    const insert = (name: string, columns: readonly string[], rows: Iterable<Row>) => {
      const table = tableNamed(schema, name);
      if (!table) return;
      const writer = new InsertWriter(dialect, table, columns);
      for (const piece of inPieces(rows, 100)) file.write(writer.statement(piece));
    };
    /** What leads from existing rows to others. */
    const finishEntity = (
      { entity, first, count }: EntitySample,
      before: readonly FixedRow[],
      later: readonly string[],
    ) => {
      const table = tableOf(entity.name);
      for (const { table: links, columns, field, targets } of sampling.linksOf(entity)) {
        const [from, to] = columns;
        const pairs = function* () {
          for (const { row, links } of before) {
            for (const target of links.get(field.name) ?? []) {
              yield { [from]: row.id ?? null, [to]: target };
            }
          }
          for (let row = 0; row < count; row++) {
            for (const target of targets(row)) yield { [from]: first + row, [to]: target };
          }
        };
        insert(links, columns, pairs());
      }
      for (const column of later) {
        for (const { row } of before) set(table, column, Number(row.id), row[column] ?? null);
      }
      for (const { column, value } of sampling.lateOf(entity)) {
        for (let row = 0; row < count; row++) set(table, column, first + row, value(row));
      }
      const next = dialect.numbersGoOn?.(table);
      if (next) file.write(`${next};\n`);
    };
    const order = parentsFirst(model);
    return {
      entity: (sample, before, rows) => {
        const { entity, first } = sample;
        const table = tableOf(entity.name);
        const stamp = { created_at: moment, updated_at: moment };
        // What is only inserted later is referred to at the end.
        const later = entity.fields
          .filter(isReference)
          .filter(({ required }) => !required)
          .filter(
            ({ type }) =>
              order.findIndex(({ name }) => name === type.entity) >= order.indexOf(entity),
          )
          .map(columnOf);
        const blank = Object.fromEntries(later.map((column) => [column, null]));
        const whole = function* () {
          for (const { row } of before) yield { ...row, ...blank, ...stamp };
          let id = first;
          for (const row of rows) yield { ...row, id: id++, ...stamp };
        };
        insert(table, ["id", ...sample.columns, "created_at", "updated_at"], whole());
        ends.push(() => finishEntity(sample, before, later));
      },
      end: () => {
        for (const each of ends) each();
        file.write("commit;\n");
        file.close();
      },
    };
  },
};

function isReferredByNumber(model: Model, entity: Entity, keys: KeyTexts): boolean {
  return (
    keys.isNumbered(entity.name) &&
    model.entities.some((other) => targetsOf(other).has(entity.name))
  );
}

/** Goes through the rows of an entity, each with what its fields with many records hold, and its number. */
function eachRow(
  sampling: Sampling,
  { entity, first }: EntitySample,
  before: readonly FixedRow[],
  rows: Iterable<Row>,
  write: (row: Row, links: ReadonlyMap<string, number[]>, id: number) => void,
): void {
  for (const { row, links } of before) write(row, links, Number(row.id));
  const links = sampling.linksOf(entity);
  const late = sampling.lateOf(entity);
  let at = 0;
  for (const row of rows) {
    for (const { column, value } of late) row[column] = value(at);
    const held = new Map(links.map(({ field, targets }) => [field.name, targets(at)]));
    write(row, held, first + at);
    at++;
  }
}
