import type { LoadCounts } from "../../io/engines/loading.ts";

/** What loading did with an entity's rows. */
export interface Loaded extends LoadCounts {
  entity: string;
  /** How many rows were deleted, because the files don't have them. */
  deleted: number;
  plural: string;
  /** Whether some fields tell the rows apart; otherwise whole rows were compared. */
  isMatched: boolean;
  /** How many rows the file has. */
  rows: number;
}
