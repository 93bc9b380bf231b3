import type { Step } from "./steps.ts";

/** A change of the model, and what it means for the tables. */
export interface Change {
  /** The table and the column that are concerned: as the model has them now, or had them if they go. */
  table: string;
  column?: string;
  /** The check that is added, where the change is about one. */
  check?: string;
  /** What happens, in a sentence without a full stop. */
  sentence: string;
  steps: Step[];
  /** What deletes data whatever the rows are: the name under which that is accepted. */
  lossAccepted?: string;
  /** Why it can't be done at all, whatever the rows are. */
  impossible?: string;
}

/** A table or column that is removed while another one is added, which may be the same under a new name. */
export interface LikelyRename {
  table: string;
  column?: string;
  /** The new name. */
  to: string;
  /** The line that says so in the model. */
  line: string;
}

export interface Difference {
  changes: Change[];
  /** All steps of the changes, in an order in which they can be taken. */
  steps: Step[];
  renames: LikelyRename[];
}

/** The developer's decisions about a difference. */
export interface Decisions {
  /** Names of tables and columns whose data may be deleted. */
  acceptLoss?: ReadonlySet<string>;
  /** The steps that were taken before, by which it is known what changed places already. */
  history?: readonly Step[];
  /** Former names of tables and columns, by the names that they have in the model. */
  formerly?: ReadonlyMap<string, string>;
}
