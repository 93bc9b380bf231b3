import { todayIn } from "../../../kit/formula/clock.ts";
import { Failure } from "../../core/failure.ts";
import { withChecks } from "../../core/formula/row-checks.ts";
import { type Diagnostic, Places, pointOut } from "../../core/model/diagnostics.ts";
import type { Model } from "../../core/model/model.ts";
import { readModel } from "../../core/model/read.ts";
import { withoutCostly } from "../../core/tabular/costly-options.ts";
import type { ImportPlan, PlanNotes } from "../../core/tabular/plan.ts";
import { type PlanReading, printPlan, readPlan } from "../../core/tabular/plan-document.ts";
import { afterSplits, type PlannedModel, planModel } from "../../core/tabular/plan-model.ts";
import { answered, type OpenQuestion, openQuestions } from "../../core/tabular/questions.ts";
import { readText } from "../../io/project/files.ts";
import { modelName, type Project, projectAt } from "../../io/project/project.ts";
import { openSheets } from "../../io/sheets/sheets.ts";
import { TemporaryFolder } from "../../io/sheets/temporary.ts";
import { fileIn } from "../files/file-in.ts";
import type { Report } from "../report.ts";
import { type Converted, convertSheets, neededBeside } from "./convert.ts";
import { foldersBeside } from "./files-beside.ts";
import { keptPlans, withReplacements } from "./kept-plans.ts";
import { proposeImport } from "./look.ts";
import { storedKeys } from "./stored-keys.ts";

/** The options of an import. */
export interface ImportRequest {
  /** Paths of files; `-` is standard input. */
  files: readonly string[];
  /** The folder of the project. */
  folder: string;
  /** The file of a plan to follow. */
  plan?: string;
  /** The entity that the sheet becomes. */
  into?: string;
  /** Whether each sheet is one table with a record a row, whatever its shape. */
  asTheyAre?: boolean;
  /** Answers the questions that the sheets leave open, each by the place of the choice; the first, without it. */
  answer?: (questions: readonly OpenQuestion[]) => Promise<number[]>;
  /** What the application is called, where there is no model yet. */
  name?: string;
  /** The folder of the files that cells name; those of the sheets, without it. */
  filesFrom?: string;
}

/** An import that is ready, down to every row; nothing of it is written yet. */
export interface PreparedImport extends Converted {
  project: Project;
  plan: ImportPlan;
  /** What was found out; undefined for a plan that was given. */
  notes: PlanNotes | undefined;
  /** What is open, and taken as its first answer says. */
  questions: OpenQuestion[];
  planText: string;
  model: Model;
  modelText: string;
  /** The model that is there already. */
  existing: string | undefined;
  /** The folders of the files that cells name. */
  folders: readonly string[];
  /** Takes away what was only kept for it. */
  remove(): void;
}

/** How often a proposal is corrected whose guesses cost rows. */
const mostTries = 3;

/** Looks at files, and works out what each cell in them becomes. Writes nothing. */
export async function prepareImport(
  request: ImportRequest,
  report: Report,
): Promise<PreparedImport> {
  const place = projectAt(request.folder);
  const existing = readText(place.model);
  const before = existing === undefined ? undefined : modelThere(existing, place);
  const project: Project = { ...place, kind: before?.app.database ?? "sqlite" };
  const given = request.plan === undefined ? undefined : givenPlan(request.plan);
  const kept = keptPlans(project);
  const folders = foldersBeside(request.files, request.filesFrom);
  const found = new Map<string, boolean>();
  const hasFile = (name: string) => {
    const known = found.get(name) ?? fileIn(folders, name) !== undefined;
    found.set(name, known);
    return known;
  };
  const folder = new TemporaryFolder();
  const remove = () => folder.remove();
  process.once("exit", remove);
  try {
    const sheets = await openSheets(request.files, folder, (on, about) =>
      report({ kind: "working", on, ...(about !== undefined && { about }) }),
    );
    const follow = async ({ plan, notes }: { plan: ImportPlan; notes: PlanNotes | undefined }) => {
      const done = afterSplits(plan);
      const planned = planModel(done, existing);
      const read = planned.reading.model;
      if (!read) throw planFailure(request.plan, given?.text ?? printPlan(plan, notes), planned);
      const model = withChecks(read);
      const { currency, timezone } = model.app;
      const context = { currency, today: todayIn(timezone) };
      const questions = notes ? openQuestions(plan, notes, model, context) : [];
      const planText = given?.text ?? printPlan(plan, notes, questions);
      // By them it is known which rows are new, where a new one would need more.
      const own = model.entities.filter((entity) =>
        done.sheets.some(
          (sheet) => sheet.entity === entity.name && neededBeside(sheet, entity).length > 0,
        ),
      );
      const stored = await storedKeys(project, model, own);
      const converted = convertSheets(done, sheets, model, { stored, hasFile }, folder, report);
      return { plan, notes, questions, planText, model, modelText: planned.text, ...converted };
    };
    let prepared = await follow(
      given
        ? { plan: given.plan, notes: undefined }
        : withReplacements(
            proposeImport(
              sheets,
              { ...request, ...(before && { model: before }), kept, hasFile },
              folder,
              report,
            ),
            kept,
          ),
    );
    // A row that is kept may have a value that makes another one cost rows.
    for (let tries = 0; prepared.notes && tries < mostTries; tries++) {
      const costly = prepared.sheets.flatMap((sheet) => sheet.costly);
      const better = withoutCostly(prepared.plan, prepared.notes, costly);
      if (!better) break;
      prepared = await follow(better);
    }
    if (request.answer && prepared.notes && prepared.questions.length > 0) {
      const { notes, questions } = prepared;
      const answers = await request.answer(questions);
      const plan = questions.reduce(
        (all, question, at) => answered(all, question, answers[at] ?? 0),
        prepared.plan,
      );
      prepared = await follow({ plan, notes: withoutQuestions(notes) });
    }
    return { project, existing, folders, remove, ...prepared };
  } catch (error) {
    remove();
    throw error;
  }
}

/** Notes in which nothing is open any more. */
function withoutQuestions(notes: PlanNotes): PlanNotes {
  return {
    sheets: notes.sheets.map((sheet) => ({
      ...sheet,
      fields: new Map(
        [...sheet.fields].map(([name, { questions, guess, ...rest }]) => [
          name,
          { ...rest, ...(guess && !questions && { guess }) },
        ]),
      ),
    })),
  };
}

function modelThere(text: string, project: Project): Model {
  const { model, diagnostics } = readModel(text);
  if (model) return model;
  throw pointedFailure(
    modelName(project),
    text,
    diagnostics,
    "correct it first; `levadura check` shows it too",
  );
}

function givenPlan(path: string): { plan: ImportPlan; text: string } {
  const text = readText(path);
  if (text === undefined)
    throw new Failure("usage", `there is no plan ${path}`, "--write-plan FILE writes one");
  const { plan, diagnostics } = readPlan(text);
  if (plan) return { plan, text };
  throw pointedFailure(path, text, diagnostics);
}

/** The errors of the model that a plan gives, pointed at in the plan. */
function planFailure(path: string | undefined, text: string, { errors }: PlannedModel): Failure {
  const { placeOf }: PlanReading = readPlan(text);
  const diagnostics = errors.map(
    ({ message, help, path: at }): Diagnostic => ({
      severity: "error",
      message,
      at: placeOf(at),
      ...(help && { help }),
    }),
  );
  return pointedFailure(path ?? "the plan", text, diagnostics);
}

function pointedFailure(
  file: string,
  text: string,
  diagnostics: readonly Diagnostic[],
  help?: string,
): Failure {
  const places = new Places(text);
  const errors = diagnostics.filter(({ severity }) => severity === "error");
  const pointed = errors.map((diagnostic) => pointOut(file, places, diagnostic));
  const count = errors.length === 1 ? "1 error" : `${errors.length} errors`;
  return new Failure("input", `${file} has ${count}`, help, pointed);
}
