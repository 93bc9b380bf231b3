import type { Replica } from "../contract.ts";
import { type Pool, pooled } from "./pooling.ts";
import { poolOfReady } from "./several.ts";

/** A connection of a pool, as long as it is needed. */
interface Asked<Result> {
  query(text: string, values: readonly unknown[]): Promise<Result>;
  release(): void;
}

/** How long a replica that didn't answer isn't asked again, in milliseconds. */
const shunned = 2000;

/**
 * Gives out connections that ask a replica what only reads, and the primary all else: what changes something,
 * transactions, and what the replica doesn't answer within `patience` milliseconds.
 */
export function readingFrom<Client extends object, Result>(
  primary: Pool<Client, Result>,
  replicas: readonly Pool<Client, Result>[],
  patience: number,
) {
  const ofPrimary = pooled(primary, patience, (connection) => connection);
  const anyReplica = poolOfReady(replicas, async () => true, 0);
  const ofReplica = pooled(anyReplica, patience, (connection) => connection);
  let shunnedUntil = 0;
  /** The answer of the replica; undefined where the primary is to be asked. */
  const askReplica = async (whom: string, text: string, values: readonly unknown[]) => {
    if (Date.now() < shunnedUntil) return undefined;
    try {
      const connection = await ofReplica(whom);
      try {
        return { result: await connection.query(text, values) };
      } finally {
        connection.release();
      }
    } catch (error) {
      const trouble = primary.troubleOf(error);
      // The primary would take as long.
      if (trouble === "slow") throw error;
      if (trouble !== undefined && trouble !== "conflict") shunnedUntil = Date.now() + shunned;
      return undefined;
    }
  };
  const connect = async (whom: string): Promise<Asked<Result>> => {
    let held: Asked<Result> | undefined;
    return {
      query: async (text, values) => {
        if (!held && onlyReads(text)) {
          const answered = await askReplica(whom, text, values);
          if (answered) return answered.result;
        }
        held ??= await ofPrimary(whom);
        return held.query(text, values);
      },
      release: () => held?.release(),
    };
  };
  return { connect, askReplica };
}

/** Whether a statement surely changes and locks nothing. */
function onlyReads(text: string): boolean {
  return /^\s*(select|with)\b/i.test(text) && !/\b(insert|update|delete|for\s+share)\b/i.test(text);
}

/** How tables are read by way of a replica: kept with those of the primary. */
const replicas = new WeakMap<object, Replica<unknown>>();

/** The replica of a database; undefined where DATABASE_READ_URL names none. */
export function replicaOf<Tables>(db: object): Replica<Tables> | undefined {
  return replicas.get(db) as Replica<Tables> | undefined;
}

/** Keeps the replica of a database with it. */
export function noteReplica<Tables>(db: object, replica: Replica<Tables>): void {
  replicas.set(db, replica as Replica<unknown>);
}
