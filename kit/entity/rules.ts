import type { Kysely } from "kysely";
import type { Person } from "../access/person.ts";

/** What rules may look at besides the values. */
export interface RuleContext<Tables, Saved> {
  /** The database, in the transaction of the save. */
  db: Kysely<Tables>;
  /** Who saves; undefined where there is no sign-in. */
  person: Person | undefined;
  /** This moment in UTC, as `2026-05-03T07:00:00Z`, and this day in the time zone of the person. */
  now: string;
  today: string;
  /** The record as it is saved now; undefined for a new one. */
  saved: Saved | undefined;
}

/**
 * Rules of an entity's own. Each of them may be left out, and each may be async. A transaction that conflicted with
 * another one is repeated, so a rule may run more than once for one save: what it does outside of the database (a mail,
 * a file) would be done again.
 */
export interface Rules<Tables, Saved, Input> {
  /** Looks at values that passed the checks of their types. Returns what is wrong, by field; nothing when all is well. */
  check?(
    input: Input,
    context: RuleContext<Tables, Saved>,
  ): Promise<Partial<Record<keyof Input, string>>> | Partial<Record<keyof Input, string>>;
  /** Changes values just before they are saved, in the same transaction. */
  beforeSave?(input: Input, context: RuleContext<Tables, Saved>): Promise<Input> | Input;
  /** Runs after a save, in the same transaction: if it throws, nothing is saved. */
  afterSave?(id: number, context: RuleContext<Tables, Saved>): Promise<void> | void;
  /** Runs before a deletion, in the same transaction: if it throws, nothing is deleted. */
  beforeDelete?(row: Saved, context: RuleContext<Tables, Saved>): Promise<void> | void;
}
