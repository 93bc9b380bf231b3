import type { Entity, Field, Model } from "../model/model.ts";
import { columnOf, parentsFirst } from "../schema/from-model.ts";
import { type Lifetime, lifetimesOf } from "./days.ts";
import { type LinkMaker, linkMakers } from "./links.ts";
import { Picker, Records } from "./parents.ts";
import { RowMaker, seededFields } from "./rows.ts";
import type { Value } from "./value.ts";

/** The existing rows of an entity, before sample rows are made. */
export interface Present {
  /** The numbers of its records, in order, and when these were there. */
  ids: readonly number[];
  lifetimes?: readonly Lifetime[];
  /** The number before the first that a new record can have. */
  highest: number;
  /** What its records have, by the columns that must not have it again. */
  values?: ReadonlyMap<string, readonly Value[]>;
  /** How many sample rows were made of it before: the next ones follow those. */
  made: number;
}

/** What fields of files can hold, by entity and field as in `Hive.photo`. */
export type SampleFiles = ReadonlyMap<string, readonly string[]>;

export interface SamplingOptions {
  seed: number;
  /** The day from which days count back, and the moment of saving. */
  today: string;
  now: string;
  /** How many rows are made, by entity. */
  counts: ReadonlyMap<string, number>;
  present: ReadonlyMap<string, Present>;
  files?: SampleFiles;
}

/** The sample rows of an entity. */
export interface EntitySample {
  entity: Entity;
  count: number;
  /** The number of the first record; the others follow. */
  first: number;
  columns: string[];
  /** The rows, by column, one after the other; to be taken once, before the next entity. */
  rows(): Generator<Record<string, Value>>;
}

/** What a field with many records holds. */
export interface Link extends Omit<LinkMaker, "targets"> {
  targets(row: number): number[];
}

/** A reference that is filled in when everything else is there. */
export interface Late {
  column: string;
  field: Field;
  value(row: number): number | null;
}

const nothing: Present = { ids: [], highest: 0, made: 0 };

/** Makes the sample rows of a model: first those of each entity, then what leads from one to another. */
export class Sampling {
  readonly #records = new Map<string, Records>();
  readonly #makers = new Map<string, RowMaker>();

  constructor(
    readonly model: Model,
    readonly options: SamplingOptions,
  ) {}

  #present(entity: Entity): Present {
    return this.options.present.get(entity.name) ?? nothing;
  }

  /** The entities, each behind those that its rows refer to. */
  *entities(): Generator<EntitySample> {
    const { seed, today, now, counts, files } = this.options;
    for (const entity of parentsFirst(this.model)) {
      const count = counts.get(entity.name) ?? 0;
      const { ids, lifetimes, highest, values, made } = this.#present(entity);
      const known = lifetimesOf(entity) && (lifetimes ?? []);
      this.#records.set(entity.name, new Records(ids, known, highest + 1, count));
      if (count === 0) {
        const columns = seededFields(entity).map(columnOf);
        yield { entity, count, first: highest + 1, columns, rows: function* () {} };
        continue;
      }
      const source = {
        seed,
        today,
        now,
        records: new Map(this.#records),
        ...(values && { there: values }),
        ...(files && { files }),
      };
      const maker = new RowMaker(this.model, entity, source, made + count);
      this.#makers.set(entity.name, maker);
      yield {
        entity,
        count,
        first: highest + 1,
        columns: maker.columns,
        *rows() {
          for (let row = 0; row < count; row++) yield maker.make(made + row);
        },
      };
    }
  }

  /** Other values for a row that was made, counted from 0: those of some columns in another turn, and what follows. */
  remade(
    entity: Entity,
    row: number,
    turn: number,
    columns: readonly string[],
  ): Record<string, Value> {
    const maker = this.#makers.get(entity.name);
    return maker?.remake(this.#present(entity).made + row, turn, columns) ?? {};
  }

  /** What fields with many records hold, by the row of their entity, counted from 0. After all entities. */
  linksOf(entity: Entity): Link[] {
    const { made, highest } = this.#present(entity);
    return linkMakers(entity, this.options.seed, this.#records).map(({ targets, ...rest }) => ({
      ...rest,
      // No record refers to itself.
      targets: (row) =>
        rest.field.type.entity === entity.name
          ? targets(made + row).filter((target) => target !== highest + 1 + row)
          : targets(made + row),
    }));
  }

  /** References to what is made later than the rows of their entity, by its row, counted from 0. After all entities. */
  lateOf(entity: Entity): Late[] {
    const grouped = new Set(entity.unique.flat());
    const made = this.#present(entity).made;
    return (this.#makers.get(entity.name)?.late ?? []).flatMap((field): Late[] => {
      const records = this.#records.get(field.type.entity);
      // In a group that is unique, another value might be one that is there.
      if (!records || records.count === 0 || grouped.has(field.name)) return [];
      const picker = new Picker(this.options.seed, entity.name, field.name);
      const { count } = records;
      return [
        {
          column: columnOf(field),
          field,
          value: (row) => {
            const at = made + row;
            if (!field.unique) return records.id(picker.pick(count, at, 0));
            return at < count ? records.id(picker.shuffled(count, at)) : null;
          },
        },
      ];
    });
  }
}
