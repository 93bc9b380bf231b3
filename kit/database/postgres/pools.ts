import pg, { type PoolClient, type QueryResult } from "pg";
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
import { clientSettings } from "./connection.ts";
import { takesChanges } from "./replication.ts";
import { troubleOf } from "./trouble.ts";

/** Opens the connections to the servers of an address, and to the replicas of DATABASE_READ_URL. */
export function openPools(address: string): Pools<PoolClient, QueryResult> {
  const limits = databaseLimits();
  const addresses = addressesOf(address);
  const toConnect = addresses.length > 1 ? Math.min(limits.wait, mostOnOne) : limits.wait;
  const primaries = addresses.map((each) => openPool(each, limits, toConnect));
  const read = readAddress();
  const onReplica = Math.min(limits.wait, mostOnReplica);
  const replicas = read ? addressesOf(read).map((each) => openPool(each, limits, onReplica)) : [];
  return {
    primary: poolOfReady(primaries.map(asked), takesChanges, limits.wait),
    replicas: replicas.map(asked),
    patience: limits.statement + 1000,
    end: async () => {
      await Promise.all([...primaries, ...replicas].map((pool) => pool.end()));
    },
  };
}

/** Connections to a server. One that is lost is replaced at the next query. */
function openPool(address: string, limits: Limits, connectionTimeoutMillis: number): pg.Pool {
  const settings = clientSettings(address);
  const pool = new pg.Pool({
    max: mostConnections,
    ...settings,
    options: `${settings.options} -c statement_timeout=${limits.statement} -c lock_timeout=${limits.wait} -c idle_in_transaction_session_timeout=${3 * limits.statement}`,
    connectionTimeoutMillis,
  });
  // Who uses a lost connection hears of it there; without a listener the error would end the process.
  pool.on("error", () => undefined);
  pool.on("connect", (client) => client.on("error", () => undefined));
  return pool;
}

/** A pool as connections are asked of it. */
function asked(pool: pg.Pool): Pool<PoolClient, QueryResult> {
  return {
    connect: () => pool.connect(),
    settle: settleFor,
    query: (client, text, values) => client.query(text, values as unknown[]),
    release: (client, useless) => client.release(useless),
    troubleOf,
  };
}

/** Tells the server for which organisation a connection is used, if that is another one than before. */
async function settleFor(client: PoolClient, whom: string): Promise<void> {
  if ((settled.get(client) ?? "") === whom) return;
  await client.query("select set_config('levadura.organisation', $1, false)", [whom]);
  settled.set(client, whom);
}

const settled = new WeakMap<PoolClient, string>();
