import { type ChildProcess, spawn } from "node:child_process";
import { join } from "node:path";
import { createInterface } from "node:readline";
import { packageRoot, packagesFolder } from "../package.ts";

/** What the compiler says of one file. */
export interface CompileError {
  code: number;
  /** Such as `12: Property 'town' does not exist on type 'Row'.` */
  text: string;
}

/** What is asked of the process that compiles: a line of JSON. It answers each by a line. */
export interface CompilerOrder {
  texts: [string, string | null][];
  paths: readonly string[];
}

/** After this time the compiler is ended, in milliseconds. */
const longest = 120_000;

/**
 * A compiler for one application. Until it is asked, it reads what files of entities lead to, which is most of its work.
 * It has to be closed.
 */
export class Compiler {
  readonly #child: ChildProcess;
  readonly #answers: AsyncIterator<string>;

  constructor(app: string) {
    const program = join(packageRoot, "dist", "compiler-process.js");
    this.#child = spawn(process.execPath, [program, app, packagesFolder], {
      stdio: ["pipe", "pipe", "ignore"],
      // It lives for a second; collecting garbage would make it a fifth slower.
      env: { GOGC: "400", ...process.env },
    });
    const { stdin, stdout } = this.#child;
    // One that can't be started answers nothing.
    this.#child.on("error", () => stdout?.destroy());
    stdin?.on("error", () => undefined);
    const lines = stdout ? createInterface({ input: stdout }) : [];
    this.#answers = (async function* () {
      yield* lines;
    })();
  }

  /**
   * What TypeScript says of files of the application as it would be with other texts, by path. Texts, of which null stands for
   * a file that goes, are only looked at, never written. Undefined where the compiler can't be started, or takes too long.
   */
  async errors(
    texts: ReadonlyMap<string, string | null>,
    paths: readonly string[],
  ): Promise<Map<string, CompileError[]> | undefined> {
    const order: CompilerOrder = { texts: [...texts], paths };
    this.#child.stdin?.write(`${JSON.stringify(order)}\n`);
    const late = setTimeout(() => this.close(), longest);
    try {
      const { value } = await this.#answers.next();
      const answer = JSON.parse(value ?? "") as CompileError[][];
      return new Map(paths.map((path, at) => [path, answer[at] ?? []]));
    } catch {
      return undefined;
    } finally {
      clearTimeout(late);
    }
  }

  close(): void {
    this.#child.kill();
  }
}
