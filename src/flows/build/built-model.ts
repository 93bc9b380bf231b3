import { join } from "node:path";
import type { Model } from "../../core/model/model.ts";
import { readText, type Write } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";

/** The model that the application was built from last; undefined where it wasn't yet. */
export function builtModel(project: Project): Model | undefined {
  try {
    const model = JSON.parse(readText(modelPath(project)) ?? "") as Model;
    const at = { start: 0, end: 0 };
    const entities = model.entities.map((entity) => ({
      ...entity,
      at,
      fields: entity.fields.map((field) => ({ ...field, at })),
    }));
    return { ...model, entities };
  } catch {
    return undefined;
  }
}

/** The model that the application was built from, without places in its text. */
export function modelWrite(project: Project, model: Model): Write {
  const text = JSON.stringify(model, (key, value) => (key === "at" ? undefined : value), 1);
  return { path: modelPath(project), text: `${text}\n` };
}

function modelPath(project: Project): string {
  return join(project.record, "model.json");
}
