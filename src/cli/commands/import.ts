import { Args, Flags } from "@oclif/core";
import { checkProject } from "../../flows/check.ts";
import { keepImport, previewLoading } from "../../flows/import/keep.ts";
import { type PreparedImport, prepareImport } from "../../flows/import/prepare.ts";
import { writePlan } from "../../flows/import/write-plan.ts";
import { type Loaded, loadData, pendingData } from "../../flows/load.ts";
import { aloneOn } from "../../flows/lock.ts";
import { requireMigrated } from "../../flows/migrate.ts";
import { agreed, canAsk } from "../asking.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { loadedText, previewText } from "../import-words.ts";
import { done, next } from "../words.ts";

export default class Import extends LevaduraCommand {
  static override description =
    `Reads spreadsheets into the model and the data: CSV, TSV, XLSX, ODS; - is standard input.
Shows what each sheet becomes, and what doesn't fit, cell by cell; writes nothing before a yes.
Without a file it loads what stands in data/ and isn't in the database yet.`;
  static override strict = false;
  static override args = {
    file: Args.string({ description: "files; all sheets of a workbook are taken" }),
  };
  static override flags = {
    ...projectFlag,
    plan: Flags.string({
      description: "follow this plan instead of a proposal",
      helpValue: "FILE",
    }),
    "write-plan": Flags.string({
      description: "write the proposal as a plan, to be corrected, and nothing else",
      helpValue: "FILE",
    }),
    name: Flags.string({
      description: "what the application is called; the first file's name otherwise",
    }),
    yes: Flags.boolean({ char: "y", description: "write without asking" }),
    "delete-missing": Flags.boolean({
      description:
        "delete the rows that the files don't have, but none that was changed in the application",
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
        ...(flags.name && { name: flags.name }),
      },
      this.report,
    );
    try {
      this.say(previewText(prepared, this.#width));
      const outcome = { ...preview(prepared), written: [] as string[], loaded: [] as Loaded[] };
      if (flags["write-plan"]) {
        writePlan(flags["write-plan"], prepared.planText);
        this.say(`\n${done(`Wrote ${flags["write-plan"]}`)}`);
        this.say(
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
        keepImport(prepared, flags.plan, options, this.report),
      );
      this.say("");
      for (const file of kept.files) this.say(done(`Wrote ${file}`));
      if (kept.loaded)
        this.say(`${done("Loaded into the database")}\n${loadedText(kept.loaded, true)}`);
      const there = flags.project === "." ? "" : ` --project ${flags.project}`;
      this.say(next(`levadura rise${there}`, "runs the application over these rows"));
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
      this.say(done("The database has everything that stands in data/"));
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
      this.say(
        "\nNothing is written yet. --yes writes it; --write-plan FILE lets you correct it first.",
      );
      return false;
    }
    const yes = await agreed("Write this?");
    if (!yes) this.say("Nothing was written. --write-plan FILE lets you correct the proposal.");
    return yes;
  }

  get #width(): number {
    return process.stdout.isTTY ? process.stdout.columns || 100 : 400;
  }
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
      around: notes?.sheets[at]?.around ?? [],
      fields: sheet.fields.map((field) => ({
        ...field,
        ...notes?.sheets[at]?.fields.get(field.name),
      })),
      splits: sheet.splits,
    })),
    setAside: setAside.count,
  };
}
