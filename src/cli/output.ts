import ansis from "ansis";
import { visibleJson } from "../core/naming/characters.ts";
import { endWork } from "./progress.ts";
import { write } from "./terminal.ts";

/** How much is said, by the flags of the command line. */
interface Verbosity {
  json: boolean;
  quiet: boolean;
  verbose: boolean;
}

let verbosity: Verbosity = { json: false, quiet: false, verbose: false };
let started = performance.now();

/** Reads the flags that decide what is said, also for errors before the command is known. */
export function readVerbosity(argv: readonly string[]): void {
  const flags = argv.includes("--") ? argv.slice(0, argv.indexOf("--")) : argv;
  verbosity = {
    json: flags.includes("--json"),
    quiet: flags.includes("--quiet") || flags.includes("-q"),
    verbose: flags.includes("--verbose"),
  };
  started = performance.now();
}

/** Whether a script reads JSON. */
export function readsJson(): boolean {
  return verbosity.json;
}

/** Says what was asked for: the result of a command. */
export function say(text: string): void {
  endWork();
  if (!verbosity.json) write(process.stdout, `${text}\n`);
}

/** Gives a text to another program as it is, whatever is in it; what a terminal shows is made visible. */
export function hand(text: string): void {
  endWork();
  if (verbosity.json) return;
  if (process.stdout.isTTY) write(process.stdout, text);
  else process.stdout.write(text);
}

/** Says what was done on the way to the result. */
export function tell(text: string): void {
  if (!verbosity.quiet) say(text);
}

/** Says what a person should know besides. */
export function warn(text: string): void {
  endWork();
  if (!verbosity.json) write(process.stderr, `${text}\n`);
}

/** Suggests what to do next. */
export function hint(text: string): void {
  endWork();
  if (!verbosity.json && !verbosity.quiet) write(process.stderr, `${text}\n`);
}

/** Says with `--verbose` what runs, and when since the start. */
export function trace(text: string): void {
  if (!verbosity.verbose) return;
  endWork();
  const seconds = ((performance.now() - started) / 1000).toFixed(3);
  write(process.stderr, `${ansis.dim(`[${seconds} s] ${text}`)}\n`);
}

/** Prints an object for a script that reads JSON: on a line of its own, or indented. */
export function sayJson(data: unknown, indent = 0): void {
  process.stdout.write(`${visibleJson(JSON.stringify(data, null, indent))}\n`);
}
