import type { Command } from "@oclif/core";

/** An option or an argument as help shows it. */
export interface Described {
  name: string;
  about: string;
}

type Flag = Command.Flag.Cached;

/** The options that every command takes. */
export const common: ReadonlySet<string> = new Set([
  "json",
  "quiet",
  "verbose",
  "no-color",
  "project",
]);

/** The options of a command, those of its own first. */
export function optionsOf(command: Command.Loadable): {
  own: Described[];
  shared: Described[];
} {
  const flags = Object.values(command.flags).filter(({ hidden }) => !hidden);
  const described = (wanted: boolean) =>
    flags
      .filter(({ name }) => common.has(name) === wanted)
      .map((flag) => ({ name: spelling(flag), about: aboutFlag(flag) }));
  const help = { name: "-h, --help", about: "show the help of the command" };
  return { own: described(false), shared: [...described(true), help] };
}

/** The arguments of a command. */
export function argumentsOf(command: Command.Loadable): Described[] {
  return Object.values(command.args).map((argument) => ({
    name: argumentName(command, argument),
    about: argument.description ?? "",
  }));
}

/** A command as it is typed: the words of its name have spaces between them. */
export function commandName(id: string): string {
  return id.replaceAll(":", " ");
}

/** How a command is typed, in one line. */
export function synopsisOf(command: Command.Loadable): string {
  const given = Object.values(command.args).map((argument) => {
    const name = argumentName(command, argument);
    return argument.required ? name : `[${name}]`;
  });
  const flags = Object.values(command.flags).filter(
    ({ name, hidden }) => !hidden && !common.has(name),
  );
  const typed = flags.map((flag) => `[--${flag.name}${valueText(flag) && ` ${valueText(flag)}`}]`);
  return [`levadura ${commandName(command.id)}`, ...given, ...typed].join(" ");
}

function argumentName({ strict }: Command.Loadable, { name, options }: Command.Arg.Cached): string {
  // One of a few words isn't one of several.
  return `${name.toUpperCase()}${strict === false && !options ? "…" : ""}`;
}

function spelling(flag: Flag): string {
  const value = valueText(flag);
  return `${flag.char ? `-${flag.char}, ` : ""}--${flag.name}${value && ` ${value}`}`;
}

function valueText(flag: Flag): string {
  if (flag.type !== "option") return "";
  if (flag.options) return flag.options.join("|");
  return String(flag.helpValue ?? "VALUE");
}

function aboutFlag(flag: Flag): string {
  const { description = "" } = flag;
  const fallback = flag.type === "option" && !common.has(flag.name) ? flag.default : undefined;
  return typeof fallback === "string" ? `${description} (${fallback} if left out)` : description;
}
