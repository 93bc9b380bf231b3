import { Args, Flags } from "@oclif/core";
import { takenFields } from "../../core/tabular/plan-model.ts";
import type { OpenQuestion } from "../../core/tabular/questions.ts";
import { checkProject } from "../../flows/check/check.ts";
import { keepImport, previewLoading } from "../../flows/import/keep.ts";
import { loadData, pendingData } from "../../flows/import/load.ts";
import type { Loaded } from "../../flows/import/loaded.ts";
import { openPreview } from "../../flows/import/open-preview.ts";
import { type PreparedImport, prepareImport } from "../../flows/import/prepare.ts";
import { writePlan } from "../../flows/import/write-plan.ts";
import { aloneOn } from "../../flows/lock.ts";
import { requireMigrated } from "../../flows/migrate/migrate.ts";
import { agreed, canAsk, chosen } from "../asking.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { previewPage } from "../import-page.ts";
import { loadedText, previewText, questionText, takenAnswers } from "../import-words.ts";
import { shown } from "../terminal.ts";
import { count, done, next } from "../words.ts";

/** The exit status that tells scripts that nothing was written. */
const previewStatus = 5;

export default class Import extends LevaduraCommand {
  static override summary = "read spreadsheets into the model and the data";
  static override description =
    "Reads CSV, TSV, XLSX and ODS files; `-` is standard input. Shows first what each sheet becomes and which cells don't fit, and writes nothing until you confirm. Without a file, it loads the files in data/ that the database doesn't have yet.";
  static override examples = [
    { command: "levadura import hive-book.xlsx", description: "previews, asks, and imports" },
    {
      command: "levadura import hives.csv --write-plan plan.yaml",
      description: "writes the proposal down, so that you can correct it",
    },
    {
      command: "levadura import hives.csv --plan plan.yaml --yes",
      description: "imports by a plan",
    },
  ];
  static override strict = false;
  static override args = {
    file: Args.string({ description: "files; of a workbook, all sheets are read" }),
  };
  static override flags = {
    ...projectFlag,
    plan: Flags.string({
      description: "follow this plan instead of a proposal",
      helpValue: "FILE",
    }),
    "write-plan": Flags.string({
      description: "write the proposal into this file, and nothing else",
      helpValue: "FILE",
    }),
    into: Flags.string({
      description: "the entity that the sheet becomes, in the model or new",
      helpValue: "ENTITY",
      exclusive: ["plan"],
    }),
    "no-reshaping": Flags.boolean({
      description: "take each sheet as one table with one record per row",
      exclusive: ["plan"],
    }),
    name: Flags.string({
      description: "the name of the application; otherwise that of the first file",
      helpValue: "WORDS",
    }),
    files: Flags.string({
      description: "the folder of the files that cells name; otherwise that of the sheet",
      helpValue: "DIR",
    }),
    open: Flags.boolean({ description: "show the preview as a page in the browser, too" }),
    yes: Flags.boolean({ char: "y", description: "write without asking" }),
    "delete-missing": Flags.boolean({
      description: "delete rows that the files no longer have, unless users changed them",
    }),
  };

  async run() {
    const { argv, flags } = await this.parse(Import);
    const files = argv as string[];
    const options = { deleteMissing: flags["delete-missing"] };
    if (files.length === 0) return this.#loadOnly(flags.project, options, flags.yes);
    const prepared = await prepareImport(
      {
        files,
        folder: flags.project,
        ...(flags.plan && { plan: flags.plan }),
        ...(flags.into && { into: flags.into }),
        ...(flags.name && { name: flags.name }),
        ...(flags.files && { filesFrom: flags.files }),
        asTheyAre: flags["no-reshaping"],
        ...(this.#canAnswer(files, flags) && { answer: askedAtTerminal }),
      },
      this.report,
    );
    try {
      this.say(previewText(prepared, this.#width));
      if (flags.open) {
        const path = await openPreview(await previewPage(prepared));
        this.hint(`\nThe preview is a page, too: ${path}`);
      }
      const outcome = { ...preview(prepared), written: [] as string[], loaded: [] as Loaded[] };
      if (flags["write-plan"]) {
        writePlan(flags["write-plan"], prepared.planText);
        this.say(`\n${done(`Wrote ${flags["write-plan"]}`)}`);
        this.hint(
          next(
            `levadura import ${files.join(" ")} --plan ${flags["write-plan"]}`,
            "once the plan is corrected",
          ),
        );
        return { ...outcome, written: [flags["write-plan"]] };
      }
      const loading = flags.yes ? undefined : await previewLoading(prepared, options, this.report);
      if (loading) this.say(`\n${loadedText(loading, false)}`);
      if (!flags.yes && !(await this.#agreed(files))) return { ...outcome, loaded: loading ?? [] };
      const kept = await aloneOn(prepared.project, "import", () =>
        keepImport(prepared, options, this.report),
      );
      this.say("");
      const own = kept.files.slice(0, kept.files.length - kept.copied);
      for (const file of own) this.say(done(`Wrote ${file}`));
      if (kept.copied > 0) this.say(done(`Copied ${count(kept.copied, "file")} into data/`));
      for (const line of takenAnswers(shown(prepared.questions))) this.warn(line);
      if (kept.loaded)
        this.say(`${done("Loaded into the database")}\n${loadedText(kept.loaded, true)}`);
      const there = flags.project === "." ? "" : ` --project ${flags.project}`;
      this.hint(next(`levadura rise${there}`, "runs the application over these rows"));
      return { ...outcome, written: kept.files, loaded: kept.loaded ?? [] };
    } finally {
      prepared.remove();
    }
  }

  async #loadOnly(folder: string, options: { deleteMissing: boolean }, yes: boolean) {
    const { project, model } = checkProject(folder);
    await requireMigrated(project, model);
    const files = await pendingData(project, model);
    if (files.length === 0) {
      this.say(done("The database has everything in data/"));
      return { sheets: [], setAside: 0, written: [], loaded: [] };
    }
    if (!yes) {
      const expected = await loadData(
        project,
        model,
        files,
        { ...options, dry: true },
        this.report,
      );
      this.say(loadedText(expected, false));
      if (!(await this.#agreed([]))) {
        return { sheets: [], setAside: 0, written: [], loaded: expected };
      }
    }
    const loaded = await aloneOn(project, "import", () =>
      loadData(project, model, files, options, this.report),
    );
    this.say(`${done("Loaded into the database")}\n${loadedText(loaded, true)}`);
    return { sheets: [], setAside: 0, written: [], loaded };
  }

  /** Asks a person; says how to answer where there is none to ask. */
  async #agreed(files: readonly string[]): Promise<boolean> {
    if (!canAsk() || this.jsonEnabled() || files.includes("-")) {
      process.exitCode = previewStatus;
      this.warn(
        "\nNothing is written yet. --yes writes it; --write-plan FILE lets you correct it first.",
      );
      return false;
    }
    const yes = await agreed("Write this?");
    if (!yes) this.warn("Nothing was written. --write-plan FILE lets you correct the proposal.");
    return yes;
  }

  /** Questions are asked where somebody is there to answer, and hasn't said yes to everything. */
  #canAnswer(
    files: readonly string[],
    flags: { yes: boolean; plan?: string | undefined },
  ): boolean {
    return canAsk() && !this.jsonEnabled() && !flags.yes && !flags.plan && !files.includes("-");
  }

  get #width(): number {
    return process.stdout.isTTY ? process.stdout.columns || 100 : 400;
  }
}

/** Asks the questions that the sheets leave open. */
async function askedAtTerminal(questions: readonly OpenQuestion[]): Promise<number[]> {
  const answers: number[] = [];
  for (const question of shown([...questions])) {
    const [title, ...choices] = questionText(question);
    const place = `${answers.length + 1} of ${questions.length}`;
    answers.push(await chosen(`${title} (${place})`, choices));
  }
  return answers;
}

/** The preview, for scripts. */
function preview({ plan, notes, sheets, untaken, setAside }: PreparedImport) {
  return {
    untaken,
    sheets: plan.sheets.map((sheet, at) => ({
      file: sheet.file,
      ...(sheet.sheet !== undefined && { sheet: sheet.sheet }),
      entity: sheet.entity,
      ...sheets[at]?.counts,
      unknown: sheets[at]?.unknown ?? [],
      totals: sheets[at]?.totals ?? [],
      around: notes?.sheets[at]?.around ?? [],
      fields: takenFields(sheet).map((field) => ({
        ...field,
        ...notes?.sheets[at]?.fields.get(field.name),
        values: sheets[at]?.values.get(field.name),
      })),
      splits: sheet.splits,
    })),
    setAside: setAside.count,
  };
}
