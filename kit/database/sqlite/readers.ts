import type Libsql from "libsql";
import AsyncDriver from "libsql/promise";
import { databaseLimits } from "../limits.ts";
import { sortsInFiles } from "./connection.ts";
import { rowMaker } from "./rows.ts";

/** A statement took longer than it may, and was stopped. */
export class TooSlow extends Error {
  readonly code = "SQLITE_INTERRUPT";
}

/** The most connections for reading: more statements at once wait for their turn. */
const mostReaders = 4;

/**
 * Connections for reading, which run beside the process: a long statement stops neither what others ask for nor itself from
 * being stopped. Each runs one statement at a time, as stopping one stops all of its connection. The work until the first
 * row is beside the process, which is all of what sorts or groups; what lies between two rows is not, and can be stopped
 * only when the next row is there.
 */
export class Readers {
  readonly #file: string;
  readonly #free: Reader[] = [];
  readonly #waiting: (() => void)[] = [];
  #count = 0;

  constructor(file: string) {
    this.#file = file;
  }

  /** The rows of a statement that only reads. Throws `TooSlow` where it takes longer than a statement may. */
  async rows(text: string, values: readonly unknown[]): Promise<unknown[]> {
    const reader = await this.#take();
    return reader.rows(text, values).finally(() => this.#giveBack(reader));
  }

  async close(): Promise<void> {
    for (const reader of this.#free) reader.close();
    this.#free.length = 0;
  }

  async #take(): Promise<Reader> {
    for (;;) {
      const free = this.#free.pop();
      if (free) return free;
      if (this.#count < mostReaders) {
        const reader = new Reader(this.#file);
        this.#count++;
        return reader;
      }
      await new Promise<void>((resolve) => {
        this.#waiting.push(resolve);
      });
    }
  }

  #giveBack(reader: Reader): void {
    // One that was stopped between two rows would hold on to what it read.
    if (reader.isSpent) {
      reader.close();
      this.#count--;
    } else this.#free.push(reader);
    this.#waiting.shift()?.();
  }
}

/** How long rows are fetched before others have a turn, in milliseconds. */
const slice = 10;

class Reader {
  readonly #database: AsyncDatabase;
  readonly #isSet: Promise<void>;
  readonly #statements = new Map<string, Promise<DecodedStatement>>();
  isSpent = false;

  constructor(file: string) {
    this.#database = new AsyncDriver(file, {}) as AsyncDatabase;
    this.#isSet = this.#database.exec(`pragma ${sortsInFiles}`);
  }

  async rows(text: string, bound: readonly unknown[]): Promise<unknown[]> {
    const limit = databaseLimits().statement;
    const end = Date.now() + limit;
    await this.#isSet;
    const { statement, row } = await this.#prepared(text);
    const stop = setTimeout(() => this.#database.interrupt(), limit);
    try {
      const found = await statement.iterate(bound);
      const rows: unknown[] = [];
      let turn = Date.now() + slice;
      for (const values of found) {
        rows.push(row(values));
        if (rows.length % 100 !== 0 || Date.now() < turn) continue;
        await new Promise((resolve) => setImmediate(resolve));
        turn = Date.now() + slice;
        if (turn < end) continue;
        this.isSpent = true;
        throw new TooSlow("The statement took too long.");
      }
      return rows;
    } finally {
      clearTimeout(stop);
    }
  }

  close(): void {
    this.#database.close();
  }

  #prepared(text: string): Promise<DecodedStatement> {
    const known = this.#statements.get(text);
    if (known) return known;
    // Preparing takes as long as a small query; an application has some hundred statements at most.
    if (this.#statements.size >= 500) this.#statements.clear();
    const prepared = this.#database.prepare(text).then((statement) => ({
      statement: statement.raw(true),
      row: rowMaker(statement.columns()),
    }));
    this.#statements.set(text, prepared);
    prepared.catch(() => this.#statements.delete(text));
    return prepared;
  }
}

/** What the driver has and its types don't say. */
interface AsyncDatabase {
  prepare(text: string): Promise<AsyncStatement>;
  exec(text: string): Promise<void>;
  interrupt(): void;
  close(): void;
}
interface AsyncStatement {
  raw(isRaw: boolean): AsyncStatement;
  iterate(values: readonly unknown[]): Promise<Iterable<unknown>>;
  columns(): ReturnType<Libsql.Statement["columns"]>;
}
interface DecodedStatement {
  statement: AsyncStatement;
  row: ReturnType<typeof rowMaker>;
}
