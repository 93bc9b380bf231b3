import type { Command, Interfaces } from "@oclif/core";
import { chapters, statuses, variables, welcome } from "./contents.ts";
import { argumentsOf, type Described, optionsOf, synopsisOf } from "./options.ts";

/** The manual page of the program, in the macros of man(7). */
export function manualPage(config: Interfaces.Config): string {
  const commands = chapters.flatMap(({ commands: ids }) =>
    ids.flatMap((id) => config.findCommand(id) ?? []),
  );
  const shared = commands.find(({ id }) => id === "check");
  return [
    `.TH LEVADURA 1 "" "levadura ${config.version}"`,
    ".SH NAME",
    "levadura \\- database, migrations and application from a model or a spreadsheet",
    ".SH SYNOPSIS",
    ".B levadura",
    ".I COMMAND",
    "[\\fIOPTIONS\\fR]",
    ".SH DESCRIPTION",
    plain(welcome),
    ".SH COMMANDS",
    ...commands.flatMap(section),
    ".SH OPTIONS OF EVERY COMMAND",
    ...list(shared ? optionsOf(shared).shared : []),
    ".SH ENVIRONMENT",
    ...list(variables.map(([name, about]) => ({ name, about }))),
    ".SH EXIT STATUS",
    ...list(statuses.map(([name, about]) => ({ name, about }))),
    "",
  ].join("\n");
}

function section(command: Command.Loadable): string[] {
  const examples = (command.examples ?? []).filter((each) => typeof each === "object");
  return [
    `.SS ${plain(synopsisOf(command))}`,
    plain(`${command.summary ?? ""}.`),
    ".PP",
    plain(command.description ?? ""),
    ...list([...argumentsOf(command), ...optionsOf(command).own]),
    ".PP",
    ...examples.flatMap(({ command: line, description }) => [
      `.EX\n${plain(line)}\n.EE`,
      plain(description),
    ]),
  ];
}

function list(rows: readonly Described[]): string[] {
  return rows.flatMap(({ name, about }) => [".TP", `.B ${plain(name)}`, plain(about)]);
}

/** A text that means nothing to the formatter: hyphens as they are typed, no line that begins as a request. */
function plain(text: string): string {
  return text
    .replaceAll("\\", "\\e")
    .replaceAll("-", "\\-")
    .replaceAll("…", "\\&...")
    .replace(/^([.'])/gm, "\\&$1");
}
