import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { Config, flush } from "@oclif/core";
import { nearest } from "../../kit/formula/nearest.ts";
import { Failure } from "../core/failure.ts";
import { fail } from "./failing.ts";
import { commandPage, firstPage } from "./help/pages.ts";
import { readVerbosity } from "./output.ts";
import { write } from "./terminal.ts";

/** Runs the command line; `at` is the address of a file of the package. Every failure is told here or by its command. */
export async function main(at: string): Promise<void> {
  process.stdout.on("error", endOfReader);
  const argv = process.argv.slice(2);
  readVerbosity(argv);
  try {
    const config = await Config.load(fileURLToPath(at));
    const request = requestOf(argv, config);
    if (request.kind === "run") await config.runCommand(request.command, request.argv);
    else write(process.stdout, `${textOf(request, config)}\n`);
  } catch (error) {
    fail(error);
  }
  await flush();
}

type Request =
  | { kind: "version" }
  | { kind: "help"; command?: string }
  | { kind: "run"; command: string; argv: string[] };

/** What a line asks for. */
function requestOf(argv: readonly string[], config: Config): Request {
  const line = argv.includes("--") ? argv.slice(0, argv.indexOf("--")) : argv;
  const [first, ...rest] = argv;
  if (first === "-v" || first === "--version" || first === "version") return { kind: "version" };
  const asksForHelp = first === "help" || line.some((each) => each === "-h" || each === "--help");
  const named = (first === "help" ? rest : argv).find((each) => !each.startsWith("-"));
  if (first?.startsWith("-") && !freeFlags.has(first)) {
    throw new Failure("usage", `${first} has to follow a command`, firstHelp);
  }
  if (named !== undefined && !config.findCommand(named)) throw unknownCommand(named, config);
  const words = first === "help" ? rest : argv;
  const at = named === undefined ? 0 : words.indexOf(named);
  // A command may have two words: `levadura publish status`.
  const second = config.findCommand(`${named}:${words[at + 1]}`);
  if (asksForHelp || named === undefined) {
    const command = second?.id ?? named;
    return { kind: "help", ...(command !== undefined && { command }) };
  }
  // Options may be before the command: `levadura --json check`.
  const after = argv.slice(at + (second ? 2 : 1));
  return { kind: "run", command: second?.id ?? named, argv: [...argv.slice(0, at), ...after] };
}

/** Options that may stand alone. */
const freeFlags = new Set(["-h", "--help", "--json", "--quiet", "-q", "--verbose", "--no-color"]);
const firstHelp = "`levadura help` lists the commands";

/** Names that people know from elsewhere, and ours. */
const otherNames: Readonly<Record<string, string>> = {
  init: "begin",
  new: "begin",
  create: "begin",
  load: "import",
  validate: "check",
  lint: "check",
  diff: "changes",
  status: "changes",
  plan: "changes",
  generate: "build",
  up: "migrate",
  apply: "migrate",
  down: "rewind",
  rollback: "rewind",
  undo: "rewind",
  revert: "rewind",
  log: "history",
  fill: "seed",
  start: "serve",
  run: "rise",
  dev: "rise",
  watch: "rise",
  deploy: "publish",
  release: "publish",
  ship: "publish",
};

function unknownCommand(name: string, config: Config): Failure {
  const small = name.toLowerCase();
  const other = Object.hasOwn(otherNames, small) ? otherNames[small] : undefined;
  const close = other ?? nearest(name, config.commandIDs);
  return new Failure(
    "usage",
    `there is no command \`${name}\``,
    close ? `did you mean \`levadura ${close}\`?` : firstHelp,
  );
}

function textOf(request: Exclude<Request, { kind: "run" }>, config: Config): string {
  if (request.kind === "version") return `levadura/${config.version}`;
  const width = Math.min(process.stdout.columns || 80, 100);
  const command = request.command === undefined ? undefined : config.findCommand(request.command);
  return command
    ? commandPage(command, width)
    : firstPage(config, join(config.root, "docs", "index.md"), width);
}

/** A reader that closes the output early, as `head` does, is not an error. */
function endOfReader(error: NodeJS.ErrnoException): void {
  if (error.code === "EPIPE") process.exit(0);
  throw error;
}
