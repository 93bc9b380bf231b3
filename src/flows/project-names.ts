import { existsSync, readdirSync } from "node:fs";
import { readModel } from "../core/model/read.ts";
import { readText } from "../io/project/files.ts";
import { nearestProject, projectAt } from "../io/project/project.ts";

/** The folder of the project that the current folder belongs to. */
export function currentProject(): string {
  return nearestProject(".");
}

/** The names in a project of one kind, as far as they can be read; never throws. */
export function projectNames(folder: string, kind: "entities" | "migrations" | "kept"): string[] {
  const project = projectAt(folder);
  if (kind === "entities") {
    const text = readText(project.model);
    return text === undefined
      ? []
      : (readModel(text).model?.entities.map(({ name }) => name) ?? []);
  }
  const place = project[kind];
  // A shell puts them into a command line, where other signs would mean something.
  return existsSync(place) ? readdirSync(place).filter((name) => /^\w[\w.-]*$/.test(name)) : [];
}
