import type { Label } from "../../entity/label.ts";

/** A part of the start page: a list or a report. */
export interface Tile {
  /** The table of its entity. */
  of: string;
  /** What people read above it; what it shows, without one. */
  name?: Label;
  /** What stands behind the `?` in the address of the list. */
  query: string;
  /** The groups of people who have it; everybody who sees the records, without them. */
  for?: readonly string[];
}

/** What the start page shows. */
export interface Dashboard {
  tiles: readonly Tile[];
  /** The table of the records by which all tiles can be filtered. */
  filter?: string;
}
