import type { Kysely } from "kysely";

/** What rules may look at besides the values: the database, and the record that is there already. */
export interface RuleContext<Tables, Row> {
  db: Kysely<Tables>;
  /** The record as it is saved now; undefined for a new one. */
  saved: Row | undefined;
}

/**
 * Rules of an entity's own. Each of them may be left out, and each may be async. A transaction that met another one
 * is begun again, so that a rule may run more than once for one save: what it does outside of the database (a mail,
 * a file) would be done again.
 */
export interface Rules<Tables, Row, Input> {
  /** Looks at values that passed the checks of their types. Returns what is wrong, by field; nothing when all is well. */
  check?(
    input: Input,
    context: RuleContext<Tables, Row>,
  ): Promise<Partial<Record<keyof Input, string>>> | Partial<Record<keyof Input, string>>;
  /** Changes values just before they are saved, in the same transaction. */
  beforeSave?(input: Input, context: RuleContext<Tables, Row>): Promise<Input> | Input;
  /** Runs after a save, in the same transaction: what throws here takes the save back. */
  afterSave?(id: number, context: RuleContext<Tables, Row>): Promise<void> | void;
  /** Runs before a deletion, in the same transaction: what throws here stops it. */
  beforeDelete?(row: Row, context: RuleContext<Tables, Row>): Promise<void> | void;
}
