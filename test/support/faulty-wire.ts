import { connect, createServer, type Server, type Socket } from "node:net";

/** A connection to a database server that can be troubled. */
export interface FaultyWire {
  port: number;
  /** Passes nothing on any more, and closes nothing: a server that doesn't answer. */
  silence(silent: boolean): void;
  /** Ends all connections. */
  cut(): void;
  /** Ends each connection, or only the first, that carries a text to the server, which gets that text first or doesn't. */
  cutAt(text: string | undefined, reached?: boolean, once?: "once"): void;
  close(): Promise<void>;
}

/** Listens on this machine, and passes on to a server on it. */
export async function faultyWireTo(target: number): Promise<FaultyWire> {
  const sockets = new Set<Socket>();
  let silent = false;
  let trap: { text: string; reached: boolean; once: boolean } | undefined;
  const server: Server = createServer((client) => {
    const upstream = connect(target, "127.0.0.1");
    const end = () => {
      client.destroy();
      upstream.destroy();
    };
    for (const socket of [client, upstream]) {
      sockets.add(socket);
      socket.on("error", end);
      socket.on("close", () => {
        sockets.delete(socket);
        end();
      });
    }
    client.on("data", (chunk) => {
      if (silent) return;
      // As a word: a connection begins with `read committed`.
      if (trap && new RegExp(`${trap.text}(?![a-z])`).test(chunk.toString("latin1"))) {
        const { reached, once } = trap;
        if (once) trap = undefined;
        if (!reached) return end();
        // The server does its work, and its answer is lost.
        upstream.removeAllListeners("data");
        upstream.write(chunk);
        setTimeout(end, 100);
        return;
      }
      upstream.write(chunk);
    });
    upstream.on("data", (chunk) => {
      if (!silent) client.write(chunk);
    });
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const address = server.address();
  return {
    port: typeof address === "object" && address ? address.port : 0,
    silence: (now) => {
      silent = now;
    },
    cut: () => {
      for (const socket of sockets) socket.destroy();
    },
    cutAt: (text, reached = false, once) => {
      trap = text === undefined ? undefined : { text, reached, once: once === "once" };
    },
    close: async () => {
      for (const socket of sockets) socket.destroy();
      await new Promise((resolve) => server.close(resolve));
    },
  };
}
