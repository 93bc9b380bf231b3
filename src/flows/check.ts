import { Failure } from "../core/failure.ts";
import { type Diagnostic, Places, type Pointed, pointOut } from "../core/model/diagnostics.ts";
import type { DatabaseKind, Model } from "../core/model/model.ts";
import { readModel } from "../core/model/read.ts";
import { typeRules } from "../core/model/types.ts";
import { modelName, openProject, type Project } from "../io/project/project.ts";

/** A model that was read, and what there is to say about it. */
export interface Checked {
  project: Project;
  model: Model;
  notes: Pointed[];
  places: Places;
}

/** Reads a project's model. Throws a failure whose details are the errors, each at its place. */
export function checkProject(folder: string): Checked {
  const { text, ...project } = openProject(folder);
  const { model, diagnostics } = readModel(text);
  const places = new Places(text);
  const pointed = diagnostics.map((diagnostic) => pointOut(modelName(project), places, diagnostic));
  if (model) {
    return { project: { ...project, kind: model.app.database }, model, notes: pointed, places };
  }
  const count = diagnostics.filter(({ severity }) => severity === "error").length;
  const errors = count === 1 ? "1 error" : `${count} errors`;
  throw new Failure("input", `${modelName(project)} has ${errors}`, undefined, pointed);
}

/** What an application over these databases can be built for; the tables can be made in all of them. */
const buildableDatabases: readonly DatabaseKind[] = ["sqlite", "postgres"];
const tableDatabases: readonly DatabaseKind[] = ["sqlite", "postgres"];

/** Throws where the model has something that can't be made of it yet, in one of these databases. */
export function requireBuildable(
  { project, model, places }: Checked,
  databases: readonly DatabaseKind[],
): void {
  const waiting: Diagnostic[] = model.entities.flatMap((entity) =>
    entity.fields
      .filter(({ type }) => !typeRules[type.kind].works)
      .map(({ name, type, at }) => ({
        severity: "error" as const,
        message: `\`${entity.name}.${name}\` is ${type.kind === "formula" ? "a formula" : `of the type \`${type.kind}\``}, which applications can't be built with yet`,
        at,
        help: "put a # before the line until they can",
      })),
  );
  const database = databases.includes(model.app.database)
    ? []
    : [
        {
          severity: "error" as const,
          message: `the database \`${model.app.database}\` can't be used for this yet`,
          at: { start: 0, end: 1 },
          help: `write \`database: ${databases.join("` or `database: ")}\``,
        },
      ];
  const found = [...database, ...waiting];
  if (found.length === 0) return;
  const pointed = found.map((diagnostic) => pointOut(modelName(project), places, diagnostic));
  throw new Failure("input", "this model can be checked, but not built yet", undefined, pointed);
}

/** Reads a project's model for work that makes an application of it. */
export function buildableProject(folder: string): Checked {
  const checked = checkProject(folder);
  requireBuildable(checked, buildableDatabases);
  return checked;
}

/** Reads a project's model for work that makes tables of it, or rows in them. */
export function tabulableProject(folder: string): Checked {
  const checked = checkProject(folder);
  requireBuildable(checked, tableDatabases);
  return checked;
}
