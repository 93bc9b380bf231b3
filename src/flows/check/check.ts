import { dirname } from "node:path";
import { todayIn } from "../../../kit/formula/clock.ts";
import { Failure } from "../../core/failure.ts";
import { checkFormulas, renamedInFormulas } from "../../core/formula/check.ts";
import { withChecks } from "../../core/formula/row-checks.ts";
import {
  type Diagnostic,
  Places,
  type Pointed,
  pointOut,
  type Span,
} from "../../core/model/diagnostics.ts";
import { type Entity, type Field, isMany, type Model } from "../../core/model/model.ts";
import { readModel } from "../../core/model/read.ts";
import { columnOf, linkOf, schemaOf, tableOf } from "../../core/schema/from-model.ts";
import { checkFixedRows } from "../../core/seeding/fixed.ts";
import { dialectOf } from "../../core/sql/dialects.ts";
import { countsOnly, limitsOf } from "../../core/sql/limits.ts";
import { writeAll } from "../../io/project/files.ts";
import { modelName, openProject, type Project } from "../../io/project/project.ts";
import { withPictures } from "./pictures.ts";

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
  const limits = model ? databaseLimits(model) : [];
  const more = [
    ...limits,
    ...(model
      ? [...checkFormulas(model), ...checkFixedRows(model, todayIn(model.app.timezone))]
      : []),
  ];
  const pictured = model && withPictures(model, dirname(project.model));
  more.push(...(pictured?.diagnostics ?? []));
  pointed.push(...more.map((each) => pointOut(modelName(project), places, each)));
  if (pictured && more.length === 0) {
    const kind = pictured.model.app.database;
    const checked = withChecks(pictured.model);
    return { project: { ...project, kind }, model: checked, notes: pointed, places };
  }
  const found = [...diagnostics, ...more];
  const count = found.filter(({ severity }) => severity === "error").length;
  const errors = count === 1 ? "1 error" : `${count} errors`;
  throw new Failure("input", `${modelName(project)} has ${errors}`, undefined, pointed);
}

/** Writes the names that fields have by now into the formulas of a model. Returns how many it wrote. */
export function updateFormulas(folder: string): number {
  const { text, model: path } = openProject(folder);
  let updated = text;
  let count = 0;
  // One of each formula at a time, until there are none.
  for (let found = renamedIn(updated); found.length > 0; found = renamedIn(updated)) {
    const backwards = found.sort((a, b) => b.at.start - a.at.start);
    for (const { at, name } of backwards) {
      const written = updated[at.start] === '"' ? inDoubleQuotes(name) : name;
      updated = updated.slice(0, at.start) + written + updated.slice(at.end);
    }
    count += found.length;
  }
  if (count > 0) writeAll([{ path, text: updated }], dirname(path));
  return count;
}

/** A text in the other quotes, as it stood there before; the line around it may be in single ones. */
function inDoubleQuotes(text: string): string {
  return `"${text.slice(1, -1).replaceAll("''", "'").replaceAll('"', '""')}"`;
}

function renamedIn(text: string): { at: Span; name: string }[] {
  const { model } = readModel(text);
  return model ? renamedInFormulas(model) : [];
}

/** What exceeds the limits of the database, with the entities and fields that cause it. */
function databaseLimits(model: Model): Diagnostic[] {
  const { limits } = dialectOf(model);
  if (
    countsOnly(limits) &&
    model.entities.every(({ fields }) => fields.length < limits.columns / 2)
  )
    return [];
  return limitsOf(limits, schemaOf(model)).map(({ table, column, message, help }) => {
    const entity = model.entities.find(({ name }) => tableOf(name) === table);
    const owner = (field: Field, of: Entity) => isMany(field) && linkOf(of, field).table === table;
    const field =
      entity?.fields.find((each) => columnOf(each) === column) ??
      model.entities
        .flatMap((each) => each.fields.filter((candidate) => owner(candidate, each)))
        .at(0);
    const at = field?.at ?? entity?.at ?? { start: 0, end: 1 };
    return { severity: "error", message, at, help };
  });
}
