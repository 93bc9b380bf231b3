import type { CompiledQuery, Kysely, KyselyPlugin, QueryId } from "kysely";

/** The statements that may take long, as whoever asks knows. */
const long = new WeakSet<QueryId>();

const marks: KyselyPlugin = {
  transformQuery: ({ queryId, node }) => {
    long.add(queryId);
    return node;
  },
  transformResult: async ({ result }) => result,
};

/** The same tables for statements that may take long: outside of a change, they run beside the process. */
export function inBackground<Tables>(db: Kysely<Tables>): Kysely<Tables> {
  return db.withPlugin(marks);
}

/** How long a statement takes that is to run beside the process the next time, and one that is not, in milliseconds. */
const slow = { from: 25, below: 10 } as const;

/** Which statements run beside the process: those that may take long, and those that did when they ran last. */
export class Background {
  readonly #wereSlow = new Set<string>();

  isFor({ queryId, sql }: CompiledQuery): boolean {
    return long.has(queryId) || this.#wereSlow.has(sql);
  }

  /** Remembers how long a statement took. */
  learn({ sql }: CompiledQuery, milliseconds: number): void {
    if (milliseconds < slow.below) this.#wereSlow.delete(sql);
    if (milliseconds < slow.from) return;
    if (this.#wereSlow.size >= 500) this.#wereSlow.clear();
    this.#wereSlow.add(sql);
  }
}
