import type { RunningServer } from "./server.ts";

/** An application that ended by itself, and is started again. */
export interface Death {
  /** Its exit status; null where a signal ended it. */
  status: number | null;
  /** How long it is waited before the next start, in milliseconds. */
  pause: number;
}

const firstPause = 250;
const longestPause = 30_000;

/** An application that ran for so long didn't die of what the one before died of, in milliseconds. */
const steady = 60_000;

/** Deaths and failed starts in a row after which it is given up. */
const mostDeaths = 10;

/**
 * Keeps an application running: one that ends by itself is started again, after pauses that grow while it doesn't
 * run for long. Throws where the first start fails. `ended` is told when it was stopped, or given up.
 */
export async function supervised(
  start: () => Promise<RunningServer>,
  tell: (death: Death) => void,
): Promise<RunningServer> {
  let server = await start();
  let stopping = false;
  let wake: () => void = () => undefined;
  const follow = async (): Promise<number | null> => {
    let deaths = 0;
    let begun = Date.now();
    for (;;) {
      const status = await server.ended;
      // An application ends well only when it is asked to; a signal may reach it before it reaches this process.
      if (stopping || status === 0) return status;
      deaths = Date.now() - begun > steady ? 1 : deaths + 1;
      let started = false;
      while (!started) {
        if (deaths >= mostDeaths) return status;
        const pause = Math.min(longestPause, firstPause * 2 ** (deaths - 1));
        tell({ status, pause });
        await new Promise<void>((resolve) => {
          const timer = setTimeout(resolve, pause);
          wake = () => {
            clearTimeout(timer);
            resolve();
          };
        });
        if (stopping) return status;
        begun = Date.now();
        started = await start().then(
          (next) => {
            server = next;
            return true;
          },
          () => {
            deaths++;
            return false;
          },
        );
      }
      // Somebody asked it to stop while it was starting.
      if (stopping) await server.stop();
    }
  };
  const ended = follow();
  return {
    ended,
    stop: async () => {
      stopping = true;
      wake();
      await server.stop();
      await ended;
    },
  };
}
