import { Failure } from "../core/failure.ts";
import { type Diagnostic, Places, type Pointed, pointOut } from "../core/model/diagnostics.ts";
import type { Model } from "../core/model/model.ts";
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

/** Throws where the model has something that can't be made of it yet. */
function requireBuildable({ project, model, places }: Checked): void {
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
  if (waiting.length === 0) return;
  const pointed = waiting.map((diagnostic) => pointOut(modelName(project), places, diagnostic));
  throw new Failure("input", "this model can be checked, but not built yet", undefined, pointed);
}

/** Reads a project's model for work that makes tables or an application of it. */
export function buildableProject(folder: string): Checked {
  const checked = checkProject(folder);
  requireBuildable(checked);
  return checked;
}
