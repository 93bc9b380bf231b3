import type { RawBuilder } from "kysely";
import type { Label } from "../entity/label.ts";
import type { FormulaScope } from "../fields/field.ts";
import type { Action } from "./action.ts";

/** Who may do what in an application in which people sign in. */
export interface Access {
  /** The table of the entity whose records people are, if they are some. */
  record?: string;
  /** Whether people may sign up by themselves, and whether an administrator lets them in; otherwise they are invited. */
  signUp?: "open" | "confirmed";
  /** The groups of people who sign up. */
  newcomers?: readonly string[];
  /**
   * Whether administrators change rights in the running application: those here are then the most there can be, or
   * only what there is at first.
   */
  rightsAre?: "ceiling" | "start";
  /** Organisations, where several work in one application, each with records and people of its own. */
  organisations?: {
    label: Label;
    plural: Label;
    /** Who may begin another one; otherwise the administrators of the first. */
    openTo?: "everyone";
    /** What each may have at most, by the name of its plan; a new one has the first. */
    plans?: Readonly<Record<string, Plan>>;
  };
  /** What the groups are called, by their names. */
  groups: Readonly<Record<string, Label>>;
  /** What each group may do, by the table of an entity and the name of the group. */
  rights: Readonly<Record<string, Readonly<Record<string, readonly Grant[]>>>>;
}

/** What an organisation may have at most. */
export interface Plan {
  /** Records, by the table of their entity. */
  records: Readonly<Record<string, number>>;
  people?: number;
  /** What nobody may do with it. */
  without?: readonly Action[];
}

/** Something that a group may do, with all records of an entity or with some. */
export interface Grant {
  may: readonly Action[];
  /** The condition for those records, on the table by its name. */
  where?(scope: FormulaScope): RawBuilder<unknown>;
  /** The fields that don't exist for the group. */
  hidden?: readonly string[];
  /** The fields that the group sees, and doesn't fill in. */
  readOnly?: readonly string[];
}
