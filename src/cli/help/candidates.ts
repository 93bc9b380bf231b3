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
  if (name === undefined) return fitting([...config.commandIDs, "help", "version"]);
  const command = config.findCommand(name);
  const place = before.indexOf("--project") + 1 || before.indexOf("-p") + 1;
  const project = place > 0 ? (before[place] ?? ".") : currentProject();
  const meaning = <Kind>(words: Readonly<Record<string, Kind>>, word: string) =>
    Object.hasOwn(words, word) ? words[word] : undefined;
  const names = (kind: "entities" | "migrations" | "kept" | "commands" | undefined): string[] => {
    if (kind === undefined) return [];
    return kind === "commands" ? [...config.commandIDs] : projectNames(project, kind);
  };
  const option = command && optionBefore(command, before.at(-1) ?? "");
  if (option) return fitting(option.options ?? names(meaning(valued, `${name} --${option.name}`)));
  if (begun.startsWith("-")) return fitting(spellings(command));
  if (name === "completion") return fitting(["bash", "zsh", "fish"]);
  return fitting(names(meaning(named, name)));
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
