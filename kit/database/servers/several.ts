import type { Trouble } from "../contract.ts";
import type { Pool } from "./pooling.ts";

/** Thrown where none of several servers takes changes. */
export class NoneReady extends Error {
  constructor(reason?: unknown) {
    super(
      "None of the database servers in DATABASE_URL takes changes. Start one of them, or correct the address.",
      { cause: reason },
    );
  }
}

/** How long to wait before all servers are asked again, in milliseconds. */
const pause = 100;

/**
 * Opens the first of several servers that is ready, in their order from `first` on. Where none is, such as while a replica
 * becomes the primary, they are asked again until `patience` milliseconds are over; then throws `NoneReady`. A server that
 * refuses for a reason of its own, such as a wrong password, ends the search.
 */
export async function firstReady<Server, Client>(
  servers: readonly Server[],
  {
    open,
    isReady,
    close,
    troubleOf,
    first = 0,
    patience,
  }: {
    open(server: Server): Promise<Client>;
    isReady(client: Client): Promise<boolean>;
    close(server: Server, client: Client): void;
    troubleOf(error: unknown): Trouble | undefined;
    first?: number;
    patience: number;
  },
): Promise<{ client: Client; at: number }> {
  const until = Date.now() + patience;
  const asked = async (server: Server): Promise<Client | undefined> => {
    const client = await open(server);
    try {
      if (await isReady(client)) return client;
    } catch (error) {
      close(server, client);
      throw error;
    }
    close(server, client);
    return undefined;
  };
  for (;;) {
    let reason: unknown;
    for (let step = 0; step < servers.length; step++) {
      const at = (first + step) % servers.length;
      try {
        const client = await asked(servers[at] as Server);
        if (client !== undefined) return { client, at };
      } catch (error) {
        if (troubleOf(error) === undefined) throw error;
        reason = error;
      }
    }
    if (Date.now() >= until) throw new NoneReady(reason);
    await new Promise((resolve) => setTimeout(resolve, pause));
  }
}

/** The pools of several servers as one, which gives out connections to the server that was ready last, as long as it is. */
export function poolOfReady<Client extends object, Result>(
  pools: readonly Pool<Client, Result>[],
  isReady: (client: Client) => Promise<boolean>,
  patience: number,
): Pool<Client, Result> {
  const [only] = pools;
  if (only && pools.length === 1) return only;
  /** Connections that were ready, each with the pool that it came from, and how many had failed by then. */
  const known = new WeakMap<Client, { pool: Pool<Client, Result>; failed: number }>();
  let first = 0;
  /** When one fails, the others are looked at again: their server may have become another one's replica. */
  let failed = 0;
  return {
    ...(only as Pool<Client, Result>),
    connect: async () => {
      const { client, at } = await firstReady(pools, {
        open: (pool) => pool.connect(),
        isReady: async (client) => known.get(client)?.failed === failed || isReady(client),
        close: (pool, client) => pool.release(client, true),
        troubleOf: (only as Pool<Client, Result>).troubleOf,
        first,
        patience,
      });
      known.set(client, { pool: pools[at] as Pool<Client, Result>, failed });
      first = at;
      return client;
    },
    release: (client, useless) => {
      if (useless) failed++;
      known.get(client)?.pool.release(client, useless);
    },
  };
}
