import { spawn } from "node:child_process";
import { join } from "node:path";
import { packageRoot, packagesFolder } from "../package.ts";

/** What the compiler says of one file. */
export interface CompileError {
  code: number;
  /** Such as `12: Property 'town' does not exist on type 'Row'.` */
  text: string;
}

/** What is asked of the process that compiles. */
export interface CompilerOrder {
  app: string;
  /** The folder of Levadura's own packages. */
  packages: string;
  texts: [string, string | null][];
  paths: readonly string[];
}

/** After this time the compiler is ended, in milliseconds. */
const longest = 120_000;

/**
 * What TypeScript says of files of an application as it would be with other texts, by path. Texts, of which null stands for a
 * file that goes, are only looked at, never written. Undefined where the compiler can't be started.
 */
export async function compileErrors(
  app: string,
  texts: ReadonlyMap<string, string | null>,
  paths: readonly string[],
): Promise<Map<string, CompileError[]> | undefined> {
  const order: CompilerOrder = { app, packages: packagesFolder, texts: [...texts], paths };
  const said = await compilerAnswer(JSON.stringify(order));
  try {
    const answer = JSON.parse(said) as CompileError[][];
    return new Map(paths.map((path, at) => [path, answer[at] ?? []]));
  } catch {
    return undefined;
  }
}

/** What the compiler's process answers; nothing where it failed. */
function compilerAnswer(order: string): Promise<string> {
  const program = join(packageRoot, "dist", "compiler-process.js");
  return new Promise((resolve) => {
    const child = spawn(process.execPath, [program], {
      stdio: ["pipe", "pipe", "ignore"],
      timeout: longest,
    });
    let said = "";
    child.stdout.setEncoding("utf8").on("data", (chunk: string) => {
      said += chunk;
    });
    child.on("error", () => resolve(""));
    child.on("close", () => resolve(said));
    child.stdin.on("error", () => undefined);
    child.stdin.end(order);
  });
}
