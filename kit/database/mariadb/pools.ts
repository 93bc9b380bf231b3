import { createPool, type Pool as MysqlConnections, type PoolConnection } from "mysql2";
import { databaseLimits, type Limits } from "../limits.ts";
import { readAddress } from "../location.ts";
import { addressesOf } from "../servers/addresses.ts";
import {
  mostConnections,
  mostOnOne,
  mostOnReplica,
  type Pool,
  type Pools,
} from "../servers/pooling.ts";
import { poolOfReady } from "../servers/several.ts";
import { clientSettings, session } from "./connection.ts";
import { takesChanges, waitingForCluster } from "./replication.ts";
import { troubleOf } from "./trouble.ts";

/** Opens the connections to the servers of an address, and to the replicas of DATABASE_READ_URL. */
export function openPools(address: string): Pools<PoolConnection, unknown> {
  const limits = databaseLimits();
  const addresses = addressesOf(address);
  const isOne = addresses.length === 1;
  const wait = isOne ? limits.wait : Math.min(limits.wait, mostOnOne);
  const primaries = addresses.map((each) => openPool(each, { ...limits, wait }, !isOne));
  const read = readAddress();
  const onReplica = { ...limits, wait: Math.min(limits.wait, mostOnReplica) };
  const replicas = read ? addressesOf(read).map((each) => openPool(each, onReplica, true)) : [];
  return {
    primary: poolOfReady(
      primaries.map((pool) => asked(pool, wait)),
      (connection) => isYes(connection, takesChanges),
      limits.wait,
    ),
    replicas: replicas.map((pool) => asked(pool, onReplica.wait)),
    patience: limits.statement + 1000,
    end: async () => {
      await Promise.all([...primaries, ...replicas].map((pool) => pool.promise().end()));
    },
  };
}

/** Connections to a server; `isAmongOthers` is whether it may be a member of a cluster. */
function openPool(address: string, limits: Limits, isAmongOthers: boolean): MysqlConnections {
  const pool = createPool({
    ...clientSettings(address),
    connectTimeout: limits.wait,
    connectionLimit: mostConnections,
  });
  const own = [
    ...session,
    // Gaps between keys aren't locked, so that changes of different records don't meet.
    "set session transaction isolation level read committed",
    `set session max_statement_time = ${limits.statement / 1000}, innodb_lock_wait_timeout = ${Math.ceil(limits.wait / 1000)}`,
  ];
  pool.on("connection", (connection) => {
    connection.on("error", () => undefined);
    for (const statement of own) {
      connection.query(statement, (error) => error && connection.destroy());
    }
    if (isAmongOthers) connection.query(waitingForCluster, () => undefined);
  });
  return pool;
}

/** A pool as connections are asked of it. */
function asked(pool: MysqlConnections, patience: number): Pool<PoolConnection, unknown> {
  return {
    connect: () => connectionOf(pool, patience),
    query: (connection, text, values) =>
      new Promise((resolve, reject) => {
        connection.query(text, values as unknown[], (error, result) =>
          error ? reject(error) : resolve(result),
        );
      }),
    release: (connection, useless) => (useless ? connection.destroy() : connection.release()),
    troubleOf,
  };
}

/** Whether a server answers yes. */
function isYes(connection: PoolConnection, question: string): Promise<boolean> {
  return new Promise((resolve, reject) => {
    connection.query(question, (error, rows) =>
      error ? reject(error) : resolve(Number((rows as { ready: unknown }[])[0]?.ready) === 1),
    );
  });
}

/** A connection of the pool, unless all of them are in use for too long. */
function connectionOf(pool: MysqlConnections, patience: number): Promise<PoolConnection> {
  return new Promise((resolve, reject) => {
    let late = false;
    const tooLate = setTimeout(() => {
      late = true;
      const error = new Error("All connections are in use.");
      reject(Object.assign(error, { code: "ER_CON_COUNT_ERROR" }));
    }, patience);
    pool.getConnection((error, connection) => {
      clearTimeout(tooLate);
      if (late) connection?.release();
      else if (error) reject(error);
      else resolve(connection);
    });
  });
}
