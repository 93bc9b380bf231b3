import type { Trouble } from "../contract.ts";
import { mostAttempts, pauseAfter } from "../trying-again.ts";

/** A driver's connection pool. */
export interface Pool<Client, Result> {
  connect(): Promise<Client>;
  /** Prepares a connection for whom it is used, where the server is told. */
  settle?(client: Client, whom: string): Promise<void>;
  query(client: Client, text: string, values: readonly unknown[]): Promise<Result>;
  /** Takes a connection back; one that is of no use any more is closed. */
  release(client: Client, useless: boolean): void;
  troubleOf(error: unknown): Trouble | undefined;
}

/** The pools of a database. */
export interface Pools<Client, Result> {
  primary: Pool<Client, Result>;
  replicas: readonly Pool<Client, Result>[];
  /** How long a statement waits for its answer, in milliseconds. */
  patience: number;
  end(): Promise<void>;
}

/** The most connections of a pool. */
export const mostConnections = 10;

/** The longest wait for a connection to one of several servers, and to a replica, in milliseconds. */
export const mostOnOne = 2000;
export const mostOnReplica = 1000;

/** Thrown where a server doesn't answer at all, not even that a statement took too long. */
export class Silence extends Error {
  constructor() {
    super("The database server doesn't answer.");
  }
}

/** How often connections that wait for an answer are checked, in milliseconds. */
const interval = 250;

/**
 * Gives out the connections of a pool, each as the query builder takes it. That remembers what it was given, so
 * what was given back is given out again. A statement has to be answered within `patience` milliseconds.
 */
export function pooled<Client, Result, Face>(
  pool: Pool<Client, Result>,
  patience: number,
  faceOf: (connection: PooledConnection<Client, Result>) => Face,
): (whom?: string) => Promise<Face> {
  type Given = { connection: PooledConnection<Client, Result>; face: Face };
  const free: Given[] = [];
  const inUse = new Set<Given>();
  const added = (): Given => {
    const connection = new PooledConnection(pool, (useless) => {
      inUse.delete(given);
      if (!useless) free.push(given);
    });
    const given = { connection, face: faceOf(connection) };
    return given;
  };
  // One timer for all of them: one for each statement can be felt.
  setInterval(() => {
    for (const { connection } of inUse) connection.wait(interval, patience);
  }, interval).unref();
  return async (whom = "") => {
    const client = await pool.connect();
    const given = free.pop() ?? added();
    inUse.add(given);
    given.connection.begin(client, whom);
    return given.face;
  };
}

/**
 * A connection of a pool. One that was lost while nobody used it shows only when it is asked something: it is
 * replaced as long as that changes nothing. One on which a statement got no answer is given up, since the next
 * statement would wait behind it.
 */
export class PooledConnection<Client, Result> {
  readonly #pool: Pool<Client, Result>;
  readonly #released: (useless: boolean) => void;
  #client: Client | undefined;
  #whom = "";
  #inTransaction = false;
  /** How long the last statement has waited for its answer, in milliseconds. */
  #waited = 0;
  #giveUp: ((error: Silence) => void) | undefined;
  #silence: Silence | undefined;
  /** Whether the connection was lost, or its server takes no changes any more. */
  #isLost = false;

  constructor(pool: Pool<Client, Result>, released: (useless: boolean) => void) {
    this.#pool = pool;
    this.#released = released;
  }

  begin(client: Client, whom: string): void {
    this.#client = client;
    this.#whom = whom;
    this.#inTransaction = false;
    this.#isLost = false;
  }

  query(text: string, values: readonly unknown[]): Promise<Result> {
    if (this.#silence) return Promise.reject(this.#silence);
    const alone = !this.#inTransaction;
    const replaceable = alone && /^\s*(select|with|begin|start)\b/i.test(text);
    if (replaceable && /^\s*(begin|start)\b/i.test(text)) this.#inTransaction = true;
    return new Promise((resolve, reject) => {
      this.#waited = 0;
      this.#giveUp = reject;
      const asked = this.#ask(text, values, replaceable ? mostConnections : 0);
      (alone ? this.#again(asked, text, values) : asked).then(
        (result) => {
          this.#giveUp = undefined;
          resolve(result);
        },
        (error) => {
          this.#giveUp = undefined;
          this.#isLost ||= this.#pool.troubleOf(error) === "lost";
          reject(error);
        },
      );
    });
  }

  /** Runs a statement, on up to so many other connections if one is lost. */
  #ask(text: string, values: readonly unknown[], replacements: number): Promise<Result> {
    const asked = this.#sent(text, values);
    if (replacements === 0) return asked;
    return asked.catch(async (error) => {
      if (this.#silence || this.#pool.troubleOf(error) !== "lost") throw error;
      await this.#replace();
      return this.#ask(text, values, replacements - 1);
    });
  }

  /**
   * A statement outside a transaction that met another change, such as in a deadlock: the server undid all of it, so it is
   * run again a few times. Within a transaction, the server undid what came before it, too.
   */
  async #again(first: Promise<Result>, text: string, values: readonly unknown[]): Promise<Result> {
    let asked = first;
    for (let attempt = 1; ; attempt++) {
      try {
        return await asked;
      } catch (error) {
        const met = this.#pool.troubleOf(error) === "conflict";
        if (!met || attempt === mostAttempts) throw error;
        await pauseAfter(attempt);
        if (this.#silence) throw error;
        asked = this.#sent(text, values);
      }
    }
  }

  #sent(text: string, values: readonly unknown[]): Promise<Result> {
    const client = this.#client as Client;
    const settled = this.#pool.settle?.(client, this.#whom);
    return settled
      ? settled.then(() => this.#pool.query(client, text, values))
      : this.#pool.query(client, text, values);
  }

  async #replace(): Promise<void> {
    this.#pool.release(this.#client as Client, true);
    this.#client = undefined;
    const client = await this.#pool.connect();
    if (this.#silence) {
      this.#pool.release(client, false);
      throw this.#silence;
    }
    this.#client = client;
  }

  /** Called by the timer: gives up a statement that has waited too long. */
  wait(time: number, patience: number): void {
    if (!this.#giveUp) return;
    this.#waited += time;
    if (this.#waited <= patience) return;
    this.#silence = new Silence();
    this.#giveUp(this.#silence);
    this.#giveUp = undefined;
  }

  release(): void {
    const client = this.#client;
    const useless = this.#silence !== undefined || this.#isLost;
    this.#client = undefined;
    if (client !== undefined) this.#pool.release(client, useless);
    this.#released(useless);
  }
}
