import type { Trouble } from "../database.ts";

/** What a driver's pool of connections does. */
export interface Pool<Client, Result> {
  connect(): Promise<Client>;
  query(client: Client, text: string, values: readonly unknown[]): Promise<Result>;
  /** Takes a connection back; one that is of no use any more is closed. */
  release(client: Client, useless: boolean): void;
  troubleOf(error: unknown): Trouble | undefined;
  /** Whether an error means that the server said nothing at all. */
  isSilence(error: unknown): boolean;
}

/** The most connections of a pool. */
export const mostConnections = 10;

/**
 * A connection of a pool. One that was lost while nobody used it shows only when it is asked something: it is
 * replaced as long as that changes nothing. One on which a statement got no answer is given up, since the next
 * statement would wait behind it.
 */
export class PooledConnection<Client, Result> {
  readonly #pool: Pool<Client, Result>;
  #client: Client;
  #inTransaction = false;
  #silence: unknown;

  constructor(pool: Pool<Client, Result>, client: Client) {
    this.#pool = pool;
    this.#client = client;
  }

  async query(text: string, values: readonly unknown[]): Promise<Result> {
    if (this.#silence) throw this.#silence;
    const replaceable = !this.#inTransaction && /^\s*(select|with|begin|start)\b/i.test(text);
    if (/^\s*(begin|start)\b/i.test(text)) this.#inTransaction = true;
    for (let attempt = 0; ; attempt++) {
      try {
        return await this.#pool.query(this.#client, text, values);
      } catch (error) {
        if (this.#pool.isSilence(error)) this.#silence = error;
        const lost = this.#pool.troubleOf(error) === "lost";
        if (!lost || !replaceable || attempt >= mostConnections) throw error;
        this.#pool.release(this.#client, true);
        this.#client = await this.#pool.connect();
      }
    }
  }

  release(): void {
    this.#pool.release(this.#client, this.#silence !== undefined);
  }
}
