import type { Command, Interfaces } from "@oclif/core";
import { chapters, statuses, variables } from "./contents.ts";
import { argumentsOf, commandName, type Described, optionsOf, synopsisOf } from "./options.ts";

/** The reference of the commands, as a page in Markdown. */
export function referencePage(config: Interfaces.Config): string {
  const command = (id: string) => config.findCommand(id, { must: true });
  return `${[
    "# Commands",
    "",
    "This page is made from the commands themselves; `levadura help COMMAND` shows the same in a terminal.",
    ...chapters.flatMap(({ title, commands }) => [
      "",
      `## ${title}`,
      ...commands.flatMap((id) => section(command(id))),
    ]),
    "",
    "## Options of every command",
    "",
    ...table(["option", "meaning"], optionsOf(command("check")).shared),
    "",
    "## Environment",
    "",
    ...table(["variable", "meaning"], described(variables)),
    "",
    "## Exit status",
    "",
    ...table(["status", "meaning"], described(statuses)),
  ].join("\n")}\n`;
}

function section(command: Command.Loadable): string[] {
  const { own } = optionsOf(command);
  const given = argumentsOf(command);
  const examples = (command.examples ?? []).filter((each) => typeof each === "object");
  return [
    "",
    `### ${commandName(command.id)}: ${command.summary}`,
    "",
    "```text",
    synopsisOf(command),
    "```",
    "",
    command.description ?? "",
    ...(given.length > 0 ? ["", ...table(["argument", "meaning"], given)] : []),
    ...(own.length > 0 ? ["", ...table(["option", "meaning"], own)] : []),
    "",
    ...table(
      ["example", "what it does"],
      examples.map(({ command: name, description }) => ({ name, about: description })),
    ),
  ];
}

function described(rows: readonly (readonly [string, string])[]): Described[] {
  return rows.map(([name, about]) => ({ name, about }));
}

function table(headings: readonly string[], rows: readonly Described[]): string[] {
  return [
    `| ${headings.join(" | ")} |`,
    `| ${headings.map((heading) => "-".repeat(heading.length)).join(" | ")} |`,
    ...rows.map(({ name, about }) => `| \`${cell(name)}\` | ${cell(about)} |`),
  ];
}

function cell(text: string): string {
  return text.replaceAll("|", "\\|");
}
