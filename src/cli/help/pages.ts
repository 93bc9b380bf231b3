import type { Command, Interfaces } from "@oclif/core";
import ansis from "ansis";
import { chapters, statuses, variables, welcome } from "./contents.ts";
import { argumentsOf, commandName, type Described, optionsOf, synopsisOf } from "./options.ts";

type Config = Interfaces.Config;

/** The first page of help: all commands, and their common options. */
export function firstPage(config: Config, documents: string, width: number): string {
  const longestCommand = Math.max(...config.commandIDs.map(({ length }) => length));
  const commands = chapters.flatMap(({ title, commands: ids }) => [
    "",
    ansis.bold(title),
    ...columns(
      ids.map((id) => ({ name: commandName(id), about: config.findCommand(id)?.summary ?? "" })),
      width,
      longestCommand,
    ),
  ]);
  const shared = config.findCommand("check");
  return [
    `${ansis.bold("Levadura")} ${config.version}`,
    ...wrapped("From a model file or a spreadsheet to a database and a web application.", width),
    "",
    ...wrapped(welcome, width),
    ...commands,
    "",
    ansis.bold("Options of every command"),
    ...columns(shared ? optionsOf(shared).shared : [], width),
    "",
    ansis.bold("Environment"),
    ...columns(pairs(variables), width),
    "",
    ansis.bold("Exit status"),
    ...columns(pairs(statuses), width),
    "",
    ...wrapped(
      `\`levadura help COMMAND\` explains a command. The documents begin at ${documents}`,
      width,
    ),
  ].join("\n");
}

/** The help of one command. */
export function commandPage(command: Command.Loadable, width: number): string {
  const { own, shared } = optionsOf(command);
  const given = argumentsOf(command);
  const examples = (command.examples ?? []).filter((each) => typeof each === "object");
  return [
    `${ansis.bold(`levadura ${commandName(command.id)}`)}  ${command.summary ?? ""}`,
    "",
    ...wrapped(synopsisOf(command), width, 2, 6),
    ...(command.description ? ["", ...paragraphs(command.description, width)] : []),
    ...(given.length > 0 ? ["", ansis.bold("Arguments"), ...columns(given, width)] : []),
    ...(own.length > 0 ? ["", ansis.bold("Options"), ...columns(own, width)] : []),
    "",
    ansis.bold("Options of every command"),
    ...columns(shared, width),
    "",
    ansis.bold(examples.length === 1 ? "Example" : "Examples"),
    ...examples.flatMap(({ command: line, description }) => [
      `  ${ansis.bold(line)}`,
      ...wrapped(description, width, 6),
    ]),
  ].join("\n");
}

function pairs(rows: readonly (readonly [string, string])[]): Described[] {
  return rows.map(([name, about]) => ({ name, about }));
}

/** Names and what they are about, side by side; a long name has a line of its own. */
function columns(rows: readonly Described[], width: number, least = 8): string[] {
  const longest = Math.max(
    ...rows.map(({ name }) => name.length).filter((each) => each <= 26),
    least,
  );
  const indent = longest + 4;
  return rows.flatMap(({ name, about }) => {
    const [first = "", ...rest] = wrapped(about, width - indent, 0, 0);
    const more = rest.map((line) => " ".repeat(indent) + line);
    return name.length <= longest
      ? [`  ${ansis.bold(name)}${" ".repeat(indent - 2 - name.length)}${first}`, ...more]
      : [`  ${ansis.bold(name)}`, " ".repeat(indent) + first, ...more];
  });
}

function paragraphs(text: string, width: number): string[] {
  return text
    .split("\n\n")
    .flatMap((each, at) => [...(at > 0 ? [""] : []), ...wrapped(each, width)]);
}

/** A text in lines, each with spaces before it. */
function wrapped(text: string, width: number, first = 0, rest = first): string[] {
  const lines: string[] = [];
  let line = " ".repeat(first);
  let begun = false;
  // What is in square brackets stays together.
  for (const word of text.match(/\[[^\]]*\]|\S+/g) ?? []) {
    if (begun && line.length + 1 + word.length > width) {
      lines.push(line);
      line = " ".repeat(rest);
      begun = false;
    }
    line += begun ? ` ${word}` : word;
    begun = true;
  }
  return [...lines, line];
}
