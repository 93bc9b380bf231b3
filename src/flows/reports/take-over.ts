import { dirname } from "node:path";
import { Failure } from "../../core/failure.ts";
import { checkFormulas } from "../../core/formula/check.ts";
import { reportLines, withReport } from "../../core/model/add-report.ts";
import { Places, pointOut } from "../../core/model/diagnostics.ts";
import { pathOf } from "../../core/model/names.ts";
import { readModel } from "../../core/model/read.ts";
import { writeAll } from "../../io/project/files.ts";
import { modelName, openProject } from "../../io/project/project.ts";
import { checkProject } from "../check/check.ts";

/** A report that was written into a model. */
export interface TakenOver {
  entity: string;
  name: string;
  /** Whether it took the place of one of the same name. */
  replaced: boolean;
  lines: string[];
}

/** Writes the report of an address of the application into the model, in plain words. */
export function takeOverReport(folder: string, address: string, name: string): TakenOver {
  const { project, model } = checkProject(folder);
  const base = "http://127.0.0.1";
  const url = URL.canParse(address, base) ? new URL(address, base) : undefined;
  if (url?.searchParams.get("layout") !== "report") {
    throw new Failure(
      "usage",
      "this isn't the address of a report",
      "open the report in the application, and copy the whole address, in quotes",
    );
  }
  const path = decodedPath(url.pathname);
  const entity = model.entities.find((each) => pathOf(each) === path);
  if (!entity) {
    const known = model.entities.map(pathOf).join(", ");
    throw new Failure("usage", `no entity has its list at ${path}`, `there are ${known}`);
  }
  const { text } = openProject(folder);
  const added = withReport(text, { entity: entity.name, name, query: url.searchParams });
  const lines = reportLines(name, url.searchParams, "");
  if (!added) {
    throw new Failure(
      "input",
      `\`${entity.name}\` isn't written in lines of its own, so that nothing can be added to it`,
      `write it in lines, or add this yourself below \`reports:\`\n${lines.join("\n")}`,
    );
  }
  const read = readModel(added.text);
  const wrong = [...read.diagnostics, ...(read.model ? checkFormulas(read.model) : [])].filter(
    ({ severity }) => severity === "error",
  );
  if (wrong.length > 0) {
    const places = new Places(added.text);
    const pointed = wrong.map((each) => pointOut(modelName(project), places, each));
    throw new Failure(
      "input",
      "the report doesn't fit the model; nothing was written",
      undefined,
      pointed,
    );
  }
  writeAll([{ path: project.model, text: added.text }], dirname(project.model));
  return { entity: entity.name, name, replaced: added.replaced, lines };
}

function decodedPath(path: string): string {
  try {
    return decodeURI(path);
  } catch {
    return path;
  }
}
