import type { Value } from "../../core/seeding/value.ts";

/** Where rows of a data file go. */
export interface LoadTarget {
  table: string;
  /** The columns that the file has values for, in its order. */
  columns: LoadColumn[];
  /** The places of the columns by which rows are matched; none to match whole rows. */
  key: readonly number[];
  /** Whether archived rows may have the key of one in use. */
  inUse?: boolean;
  /** Whether rows of the table that it doesn't have are missing in it. */
  whole: boolean;
  /** The tables of links that the file has values for. */
  links: { table: string; from: string; to: string; target: KeyedTable }[];
}

export interface LoadColumn {
  name: string;
  /** For a reference: what its values are keys of. */
  reference?: KeyedTable & {
    /** Whether those rows may come later than the ones that refer to them. */
    late: boolean;
  };
}

export interface KeyedTable {
  table: string;
  key: string;
  /** Whether archived rows may have the key of one in use. */
  inUse?: boolean;
}

/**
 * A row: a value for each column, keys for references; and the keys of what each link leads to. The
 * values must obey the checks of the table, which the database may not make again.
 */
export interface LoadRow {
  values: (Value | null)[];
  links: string[][];
}

/** What loading did, or would do, with the rows of one table. */
export interface LoadCounts {
  added: number;
  changed: number;
  same: number;
  /** Rows of the table that the file doesn't have. */
  missing: number;
  /** Rows that differ, but were changed in the application since they were loaded: they stay as they are. */
  conflicts: number;
  firstConflicts: LoadConflict[];
}

export interface LoadConflict {
  key: string;
  column: string;
  stored: string;
  incoming: string;
}

/** Loads rows into tables, within one transaction of the caller's. */
export interface Loader {
  /** Takes the rows of a table. Tables come after those that their required references lead to. */
  take(target: LoadTarget, batches: Iterable<readonly LoadRow[]>): Promise<void>;
  /** Resolves references to rows that were loaded later, and returns the counts of all files in order. */
  finish(): Promise<LoadCounts[]>;
  /**
   * The rows that neither a file nor another source has, and nobody changed: by table, a query of their numbers,
   * and how many there are. It is asked before the loader finishes.
   */
  missing(): Promise<Map<string, { query: string; count: number }>>;
}

export interface LoadSettings {
  /** The current time, which marks the rows as loaded. */
  moment: string;
  /** Is told how far the indexes of a table are made, from 0 to 1, where that is done once its rows are in. */
  indexing(table: string, share: number): void;
}
