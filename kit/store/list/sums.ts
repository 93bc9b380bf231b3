import { type RawBuilder, sql } from "kysely";
import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { type Condition, where } from "./conditions.ts";

/** Sums and counts over the same rows, asked for together: some hundred in each statement. */
export class Sums {
  readonly #columns: RawBuilder<unknown>[] = [];
  #found: Record<string, unknown> = {};

  constructor(
    readonly scope: Scope,
    readonly entity: Entity,
    readonly wanted: readonly Condition[],
  ) {}

  /** Adds a column; what it came to is known once it has run. */
  add(column: RawBuilder<unknown>): () => unknown {
    const name = `c${this.#columns.length}`;
    this.#columns.push(sql`${column} as ${sql.id(name)}`);
    return () => this.#found[name];
  }

  /** How many rows there are. */
  total(): number {
    return Number(this.#found.total ?? 0);
  }

  async run(): Promise<void> {
    const { scope, entity, wanted } = this;
    const atOnce = 400;
    for (let at = 0; at < this.#columns.length; at += atOnce) {
      const columns = [sql`count(*) as total`, ...this.#columns.slice(at, at + atOnce)];
      const { rows } = await sql<Record<string, unknown>>`
        select ${sql.join(columns)} from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}
        ${where(wanted)}`.execute(scope.db);
      this.#found = { ...this.#found, ...rows[0] };
    }
  }
}

/** In how many rows a condition holds. */
export function countWhere(condition: RawBuilder<unknown>): RawBuilder<unknown> {
  return sql`count(case when ${condition} then 1 end)`;
}
