import type { Command, Interfaces } from "@oclif/core";
import { currentProject, projectNames } from "../../flows/project-names.ts";

/** What a word of a command stands for, where it isn't an option. */
const named: Readonly<Record<string, "entities" | "migrations" | "kept" | "commands">> = {
  seed: "entities",
  rewind: "migrations",
  restore: "kept",
  help: "commands",
};

/** What the value of an option stands for. */
const valued: Readonly<Record<string, "entities" | "migrations">> = {
  "seed --accept-loss": "entities",
  "migrate --to": "migrations",
};

/** The words that may be in the place of the last of those that were typed; none where files may. */
export function candidatesFor(config: Interfaces.Config, typed: readonly string[]): string[] {
  const begun = typed.at(-1) ?? "";
  const before = typed.slice(0, -1);
  const name = before.find((word) => !word.startsWith("-"));
  const fitting = (words: readonly string[]) =>
    [...new Set(words)].filter((word) => word.startsWith(begun)).sort();
  if (name === undefined) return fitting([...firstWords(config), "help", "version"]);
  const after = before[before.indexOf(name) + 1];
  const command = config.findCommand(`${name}:${after}`) ?? config.findCommand(name);
  const place = before.indexOf("--project") + 1 || before.indexOf("-p") + 1;
  const project = place > 0 ? (before[place] ?? ".") : currentProject();
  const meaning = <Kind>(words: Readonly<Record<string, Kind>>, word: string) =>
    Object.hasOwn(words, word) ? words[word] : undefined;
  const names = (kind: "entities" | "migrations" | "kept" | "commands" | undefined): string[] => {
    if (kind === undefined) return [];
    return kind === "commands" ? firstWords(config) : projectNames(project, kind);
  };
  const option = command && optionBefore(command, before.at(-1) ?? "");
  if (option) return fitting(option.options ?? names(meaning(valued, `${name} --${option.name}`)));
  if (begun.startsWith("-")) return fitting(spellings(command));
  if (name === "completion") return fitting(["bash", "zsh", "fish"]);
  if (command?.id === name && before.at(-1) === name) {
    const second = secondWords(config, name);
    if (second.length > 0) return fitting(second);
  }
  return fitting(names(meaning(named, name)));
}

/** The first words of all commands. */
function firstWords({ commandIDs }: Interfaces.Config): string[] {
  return commandIDs.filter((id) => !id.includes(":"));
}

/** The words that may follow the first one of a command. */
function secondWords({ commandIDs }: Interfaces.Config, first: string): string[] {
  return commandIDs.flatMap((id) => (id.startsWith(`${first}:`) ? id.slice(first.length + 1) : []));
}

/** The option that still waits for its value. */
function optionBefore(
  command: Command.Loadable,
  word: string,
): (Command.Flag.Cached & { options?: readonly string[] }) | undefined {
  return Object.values(command.flags).find(
    ({ type, name, char }) =>
      type === "option" && (word === `--${name}` || (char && word === `-${char}`)),
  );
}

function spellings(command: Command.Loadable | undefined): string[] {
  const flags = Object.values(command?.flags ?? {}).filter(({ hidden }) => !hidden);
  return [...flags.map(({ name }) => `--${name}`), "--help"];
}
