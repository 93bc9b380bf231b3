import { type Answering, type RunningServer, type Start, startProcess } from "../runner/server.ts";
import { supervised } from "../runner/supervised.ts";

/** A version of an application that runs. It is started again when it ends, on another port. */
export class Run {
  readonly number: number;
  /** The path of the link for the first administrator. */
  welcome: string | undefined;
  restarts = 0;
  /** Whether it ended so often that it isn't started again. */
  isGivenUp = false;
  #process: Answering | undefined;
  #server: RunningServer | undefined;
  #started: Promise<void> = Promise.resolve();
  #isStarted: () => void = () => undefined;
  #requests = 0;
  #idle: () => void = () => undefined;

  private constructor(number: number) {
    this.number = number;
  }

  /** Starts a version, and waits until it answers. */
  static async start(
    number: number,
    start: (isFirst: boolean) => Start,
    tell: (text: string) => void,
  ): Promise<Run> {
    const run = new Run(number);
    let isFirst = true;
    run.#server = await supervised(
      async () => {
        const process = await startProcess(start(isFirst));
        if (isFirst) run.welcome = process.welcome;
        isFirst = false;
        run.#process = process;
        run.#isStarted();
        return process;
      },
      ({ status, pause }) => {
        run.restarts++;
        run.#process = undefined;
        run.#started = new Promise((resolve) => {
          run.#isStarted = resolve;
        });
        const how = status === null ? "by a signal" : `with status ${status}`;
        tell(`ended ${how}; it is started again in ${pause / 1000} s`);
      },
    );
    void run.#server.ended.then((status) => {
      if (status === 0) return;
      run.isGivenUp = true;
      run.#process = undefined;
      run.#isStarted();
    });
    return run;
  }

  /** The port on which it answers, once it does; undefined where that takes too long. */
  async port(patience: number): Promise<number | undefined> {
    if (!this.#process && !this.isGivenUp) await within(this.#started, patience);
    return this.#process?.port;
  }

  get answers(): boolean {
    return this.#process !== undefined;
  }

  /** Counts a request that it answers; what is returned is called when it is answered. */
  enter(): () => void {
    this.#requests++;
    let left = false;
    return () => {
      if (left) return;
      left = true;
      if (--this.#requests === 0) this.#idle();
    };
  }

  /** Waits until it has answered all requests that it has. */
  async idle(patience: number): Promise<void> {
    if (this.#requests === 0) return;
    const idle = new Promise<void>((resolve) => {
      this.#idle = resolve;
    });
    await within(idle, patience);
  }

  /** Ends it, once it has answered the requests that it has. */
  async end(patience: number): Promise<void> {
    await this.idle(patience);
    await this.#server?.stop();
  }
}

/** Waits for something, but not for longer than this many milliseconds. Returns whether it came. */
export async function within(work: Promise<void>, patience: number): Promise<boolean> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<boolean>((resolve) => {
    timer = setTimeout(resolve, patience, false);
  });
  const came = await Promise.race([work.then(() => true), late]);
  clearTimeout(timer);
  return came;
}
