import { existsSync, statSync } from "node:fs";
import { basename, dirname, join, relative, resolve } from "node:path";
import { Failure } from "../../core/failure.ts";
import type { DatabaseKind } from "../../core/model/model.ts";
import { readText, refuseLink } from "./files.ts";

/** A project's folder, and where things are in it. */
export interface Project {
  root: string;
  /** The folder of its settings, `.env`. */
  settings: string;
  model: string;
  migrations: string;
  /** A migration that is being rewritten, and so is treated as absent. */
  skipped?: string;
  app: string;
  /** What is remembered of what was generated; belongs into version control. */
  record: string;
  /** Bundles and other things that can be made again; doesn't. */
  run: string;
  /** The file of a SQLite database. */
  database: string;
  /** The kind of its database, as the model says. */
  kind: DatabaseKind;
  /** Rows that migrations deleted, so that they can be restored. */
  kept: string;
  /** Rows entered by users, as CSV. */
  data: string;
  /** The plans of imports. */
  imports: string;
  /** The files of records, where they are in a folder. */
  files: string;
}

/** The places in a folder, whether anything is there yet or not. */
export function projectAt(folder: string): Project {
  const root = resolve(folder);
  return {
    root,
    settings: root,
    model: join(root, "model.yaml"),
    migrations: join(root, "migrations"),
    app: join(root, "app"),
    record: join(root, ".levadura", "generated"),
    run: join(root, ".levadura", "run"),
    database: join(root, "records.db"),
    kind: "sqlite",
    kept: join(root, "kept"),
    data: join(root, "data"),
    imports: join(root, "imports"),
    files: join(root, "files"),
  };
}

/**
 * The folder of the project that a folder belongs to: itself, or the nearest one above that has a model of this user.
 * What others left in a folder above isn't run unasked.
 */
export function nearestProject(folder: string): string {
  for (let place = resolve(folder); ; place = dirname(place)) {
    const model = statSync(projectAt(place).model, { throwIfNoEntry: false });
    const own = place === resolve(folder) || model?.uid === (process.getuid?.() ?? model?.uid);
    if (model) return own ? relative(process.cwd(), place) || "." : folder;
    if (dirname(place) === place) return folder;
  }
}

/** The project in a folder; a failure where there is no model in it. */
export function openProject(folder: string): Project & { text: string } {
  const project = projectAt(folder);
  if (!existsSync(project.root)) {
    throw new Failure(
      "usage",
      `there is no folder ${project.root}`,
      "`levadura begin DIR` makes one",
    );
  }
  const text = readText(project.model);
  if (text === undefined) {
    throw new Failure(
      "usage",
      `there is no model.yaml in ${project.root}`,
      "`levadura begin DIR` starts a project; --project names the folder of another one",
    );
  }
  for (const folder of [project.app, project.migrations, project.record, project.run]) {
    refuseLink(project.root, folder);
  }
  for (const folder of [project.kept, project.data, project.imports, project.files]) {
    refuseLink(project.root, folder);
  }
  return { ...project, text };
}

/** What the model file is called in messages. */
export function modelName(project: Project): string {
  return basename(project.model);
}

/** The file that holds the rows of an entity. */
export function dataFile(project: Project, entity: string): string {
  return join(project.data, `${entity}.csv`);
}
