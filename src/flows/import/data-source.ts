import type { Entity } from "../../core/model/model.ts";
import type { ReadStep } from "../../io/sheets/text.ts";

/** A source of an entity's rows: a data file, or the model. */
export interface DataSource {
  entity: Entity;
  /** What people call it, such as `data/Hive.csv`. */
  name: string;
  /** The name under which the database remembers that it was loaded. */
  remembered: string;
  checksum: string;
  /** Whether it has all of the entity's rows, so that others are missing in it. */
  whole: boolean;
  read(): Generator<DataStep>;
}

/** Some rows of a source, of which the first has a number; and how far it is read. */
export type DataStep = Pick<ReadStep, "rows" | "first" | "share"> & { header: string[] };
