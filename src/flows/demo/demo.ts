import { existsSync } from "node:fs";
import { join } from "node:path";
import { Failure } from "../../core/failure.ts";
import type { DatabaseKind } from "../../core/model/model.ts";
import { packageRoot } from "../../io/package.ts";
import { readText, writeAll } from "../../io/project/files.ts";
import { projectAt } from "../../io/project/project.ts";
import { supportFiles } from "../begin/begin.ts";
import { checkProject } from "../check/check.ts";
import { keepImport } from "../import/keep.ts";
import { prepareImport } from "../import/prepare.ts";
import type { Report } from "../report.ts";

/** An existing demo keeps its database. */
function refuseOther(folder: string, database: DatabaseKind | undefined): void {
  const { model } = checkProject(folder);
  if (database === undefined || model.app.database === database) return;
  throw new Failure(
    "usage",
    `the demo in ${folder} has the database ${model.app.database}`,
    "leave --database out, or name another folder with --into",
  );
}

const sources = ["hive-book.xlsx", "equipment.csv"];

/** Puts the demo project into a folder, its rows imported from a workbook; what is there of it already stays as it is. */
export async function prepareDemo(
  folder: string,
  database: DatabaseKind | undefined,
  report: Report,
): Promise<void> {
  const project = projectAt(folder);
  if (existsSync(project.model)) return refuseOther(folder, database);
  const source = join(packageRoot, "demo");
  const model = readText(join(source, "model.yaml"));
  if (model === undefined)
    throw new Failure("outside", "the demo's model is missing from this installation");
  const text = model.replace("database: sqlite", `database: ${database ?? "sqlite"}`);
  const files = [{ path: "model.yaml", text }, ...supportFiles("Hive Book")];
  writeAll(files.map(({ path, text }) => ({ path: join(project.root, path), text })));
  const plan = join(source, "hive-book.plan.yaml");
  const request = { files: sources.map((name) => join(source, name)), folder, plan };
  const prepared = await prepareImport(request, report);
  try {
    const { files } = await keepImport(prepared, {}, report);
    for (const { name, entity, counts } of prepared.sheets)
      report({ kind: "imported", name, entity, ...counts });
    const path = files.find((file) => file.includes("set-aside"));
    if (path) report({ kind: "set aside", count: prepared.setAside.count, path });
  } finally {
    prepared.remove();
  }
}
