import {
  type CompiledQuery,
  createQueryId,
  type DatabaseConnection,
  type Driver,
  IdentifierNode,
  type QueryCompiler,
  type QueryResult,
  RawNode,
} from "kysely";
import type Libsql from "libsql";
import { databaseLimits } from "../limits.ts";
import { Background } from "./background.ts";
import { encode, openFile } from "./connection.ts";
import { Readers } from "./readers.ts";
import { rowMaker } from "./rows.ts";

/** Pauses between two attempts to begin a change while another process writes, in milliseconds. */
const pause = { least: 5, most: 50 };

/** Other processes were writing for as long as a change may wait. */
export class WriterBusy extends Error {
  readonly code = "SQLITE_BUSY";
}

/**
 * A file for an application. The driver stops the whole process while it waits for a lock, so that it never
 * waits here: reads have connections of their own and never wait for a change, changes take turns within this
 * process, and wait for other processes by asking again. Reads that may take long run beside the process.
 */
export class FileDriver implements Driver {
  readonly #open: () => Libsql.Database;
  /** Undefined for a database in memory, which is one connection's own. */
  readonly #readers: Readers | undefined;
  readonly #background = new Background();
  #reader: Connection | undefined;
  #writer: Connection | undefined;
  readonly #turns = new Turns();
  readonly #sessions = new WeakMap<DatabaseConnection, Session>();

  constructor(file: string) {
    const inMemory = file === ":memory:" ? openFile(file, 0) : undefined;
    this.#open = () => inMemory ?? openFile(file, 0);
    this.#readers = inMemory ? undefined : new Readers(file);
  }

  async init(): Promise<void> {
    const writer = this.#open();
    if (databaseLimits().synchronous) writer.pragma("synchronous = FULL");
    this.#writer = new Connection(writer);
  }

  async acquireConnection(): Promise<DatabaseConnection> {
    const session = new Session({
      read: (query) => this.#read(query),
      change: (work) => this.#change(work),
    });
    this.#sessions.set(session, session);
    return session;
  }

  async beginTransaction(connection: DatabaseConnection): Promise<void> {
    const release = await this.#begin();
    this.#session(connection).enter(this.#writer as Connection, release);
  }

  async commitTransaction(connection: DatabaseConnection): Promise<void> {
    this.#writer?.run("commit");
    this.#session(connection).leave();
  }

  async rollbackTransaction(connection: DatabaseConnection): Promise<void> {
    // An error may have ended the transaction already.
    if (this.#writer?.inTransaction) this.#writer.run("rollback");
    this.#session(connection).leave();
  }

  async savepoint(
    connection: DatabaseConnection,
    name: string,
    compile: QueryCompiler["compileQuery"],
  ): Promise<void> {
    await connection.executeQuery(compile(savepoint("savepoint", name), createQueryId()));
  }

  async rollbackToSavepoint(
    connection: DatabaseConnection,
    name: string,
    compile: QueryCompiler["compileQuery"],
  ): Promise<void> {
    await connection.executeQuery(compile(savepoint("rollback to", name), createQueryId()));
  }

  async releaseSavepoint(
    connection: DatabaseConnection,
    name: string,
    compile: QueryCompiler["compileQuery"],
  ): Promise<void> {
    await connection.executeQuery(compile(savepoint("release", name), createQueryId()));
  }

  async releaseConnection(connection: DatabaseConnection): Promise<void> {
    this.#session(connection).leave();
  }

  async destroy(): Promise<void> {
    await this.#readers?.close();
    this.#reader?.close();
    this.#writer?.close();
  }

  #session(connection: DatabaseConnection): Session {
    const session = this.#sessions.get(connection);
    if (!session) throw new Error("This connection is another driver's.");
    return session;
  }

  /** Runs a statement that only reads: at once where it is short, which most are, else beside the process. */
  async #read<Row>(query: CompiledQuery): Promise<QueryResult<Row>> {
    const begun = performance.now();
    try {
      if (this.#readers && this.#background.isFor(query)) {
        const rows = await this.#readers.rows(query.sql, query.parameters.map(encode));
        return { rows: rows as Row[] };
      }
      return this.#shortReader.execute<Row>(query);
    } finally {
      this.#background.learn(query, performance.now() - begun);
    }
  }

  /** While no change is running, reads use its connection, which has the newest pages in its cache. */
  get #shortReader(): Connection {
    if (!this.#turns.isTaken) return this.#writer as Connection;
    this.#reader ??= new Connection(this.#open());
    return this.#reader;
  }

  /** Runs a change outside a transaction in one of its own. */
  async #change<Result>(work: (connection: Connection) => Result): Promise<Result> {
    const writer = this.#writer as Connection;
    const release = await this.#begin();
    try {
      const result = work(writer);
      writer.run("commit");
      return result;
    } catch (error) {
      if (writer.inTransaction) writer.run("rollback");
      throw error;
    } finally {
      release();
    }
  }

  /** Begins a change when no other is running. Returns a function that ends the turn. */
  async #begin(): Promise<() => void> {
    const end = Date.now() + databaseLimits().wait;
    const release = await this.#turns.take(end);
    try {
      for (let wait = pause.least; ; wait = Math.min(2 * wait, pause.most)) {
        try {
          this.#writer?.run("begin immediate");
          return release;
        } catch (error) {
          if (!isBusy(error)) throw error;
          if (Date.now() > end) throw new WriterBusy("Another process is writing.");
        }
        await new Promise((resolve) => setTimeout(resolve, wait));
      }
    } catch (error) {
      release();
      throw error;
    }
  }
}

function isBusy(error: unknown): boolean {
  return String((error as { code?: unknown }).code).startsWith("SQLITE_BUSY");
}

/** A statement about a savepoint. */
function savepoint(command: string, name: string): RawNode {
  return RawNode.create([`${command} `, ""], [IdentifierNode.create(name)]);
}

/** A queue: changes run one after the other. */
class Turns {
  readonly #waiting: { begin(): void; end: number }[] = [];
  #taken = false;

  get isTaken(): boolean {
    return this.#taken;
  }

  /** Waits for a turn until a deadline; returns a function that ends it. */
  take(end: number): Promise<() => void> {
    if (!this.#taken) {
      this.#taken = true;
      return Promise.resolve(this.#release());
    }
    return new Promise((resolve, reject) => {
      const waiting = {
        end,
        begin: () => {
          clearTimeout(late);
          resolve(this.#release());
        },
      };
      const late = setTimeout(
        () => {
          this.#waiting.splice(this.#waiting.indexOf(waiting), 1);
          reject(new WriterBusy("Others are writing."));
        },
        Math.max(0, end - Date.now()),
      );
      this.#waiting.push(waiting);
    });
  }

  #release(): () => void {
    let released = false;
    return () => {
      if (released) return;
      released = true;
      const next = this.#waiting.shift();
      if (next) next.begin();
      else this.#taken = false;
    };
  }
}

/** What a piece of work may do outside of a transaction. */
interface Access {
  read<Row>(query: CompiledQuery): Promise<QueryResult<Row>>;
  change<Result>(work: (connection: Connection) => Result): Promise<Result>;
}

/** The connection that one piece of work uses: for reading, until it begins a transaction. */
class Session implements DatabaseConnection {
  readonly #driver: Access;
  #inside: { writer: Connection; release: () => void } | undefined;

  constructor(driver: Access) {
    this.#driver = driver;
  }

  enter(writer: Connection, release: () => void): void {
    this.#inside = { writer, release };
  }

  leave(): void {
    this.#inside?.release();
    this.#inside = undefined;
  }

  async executeQuery<Row>(query: CompiledQuery): Promise<QueryResult<Row>> {
    if (this.#inside) return this.#inside.writer.execute<Row>(query);
    const reads = /^[\s(]*(select|with|values|pragma|explain)\b/i.test(query.sql);
    if (reads) return this.#driver.read<Row>(query);
    return this.#driver.change((writer) => writer.execute<Row>(query));
  }

  async *streamQuery<Row>(query: CompiledQuery): AsyncIterableIterator<QueryResult<Row>> {
    const { rows } = await this.executeQuery<Row>(query);
    for (const row of rows) yield { rows: [row] };
  }
}

/** An open file with its prepared statements. */
class Connection {
  readonly #database: Libsql.Database;
  readonly #statements = new Map<string, CodedStatement>();

  constructor(database: Libsql.Database) {
    this.#database = database;
  }

  get inTransaction(): boolean {
    return this.#database.inTransaction;
  }

  run(text: string): void {
    this.#prepare(text).run([]);
  }

  execute<Row>({ sql, parameters }: CompiledQuery): QueryResult<Row> {
    const statement = this.#prepare(sql);
    const values = parameters.map(encode);
    if (statement.reader) return { rows: statement.all(values) as Row[] };
    const { changes, lastInsertRowid } = statement.run(values);
    return { numAffectedRows: BigInt(changes), insertId: BigInt(lastInsertRowid), rows: [] };
  }

  close(): void {
    if (this.#database.open) this.#database.close();
  }

  #prepare(text: string): CodedStatement {
    const known = this.#statements.get(text);
    if (known) return known;
    // Preparing takes as long as a small query; an application has some hundred statements at most.
    if (this.#statements.size >= 500) this.#statements.clear();
    const statement = coded(this.#database.prepare(text));
    this.#statements.set(text, statement);
    return statement;
  }
}

type CodedStatement = ReturnType<typeof coded>;

/** A statement that gives rows, or changes some. */
function coded(statement: Libsql.Statement) {
  const row = statement.reader ? rowMaker(statement.columns()) : undefined;
  if (row) statement.raw(true);
  return {
    reader: statement.reader,
    all: (values: readonly unknown[]) => (row ? statement.all(values).map(row) : []),
    run: (values: readonly unknown[]) => statement.run(values),
  };
}
