import { Flags } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import { buildableProject, type Checked, checkProject } from "../../flows/check.ts";
import { othersIn } from "../../flows/clear-rows.ts";
import { aloneOn } from "../../flows/lock.ts";
import { clearingPreview, seedProject } from "../../flows/seed.ts";
import { seedFiles } from "../../flows/seed-files.ts";
import { entitiesNamed, type SeedRequest } from "../../flows/seed-order.ts";
import { fileFormats } from "../../flows/seed-writers.ts";
import { agreed, canAsk } from "../asking.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { count, done, next } from "../words.ts";

export default class Seed extends LevaduraCommand {
  static override description =
    "Fills the entities with sample rows that hold to the model, the same ones every time. Without names, all that have no rows of people's own.";
  static override usage = "seed [ENTITY…] [--rows N] [--empty-first] [--to DIR]";
  static override examples = [
    "levadura seed",
    "levadura seed Hive --rows 5000",
    "levadura seed --to samples --as json",
  ];
  static override strict = false;
  static override flags = {
    ...projectFlag,
    rows: Flags.integer({
      description: "how many sample rows each named entity has then; without names, all in all",
      min: 0,
      max: 100_000_000,
      helpValue: "N",
    }),
    seed: Flags.integer({
      description: "the number that the rows follow from; 1, or the one of the first time",
      helpValue: "N",
    }),
    "empty-first": Flags.boolean({
      description: "first deletes the sample rows that are there; asks",
      exclusive: ["to"],
    }),
    "accept-loss": Flags.string({
      description:
        "with --empty-first: deletes all rows of this entity, also loaded ones and those entered by users; they are kept in a file",
      dependsOn: ["empty-first"],
      multiple: true,
      multipleNonGreedy: true,
      helpValue: "ENTITY",
    }),
    yes: Flags.boolean({ char: "y", description: "doesn't ask" }),
    to: Flags.string({
      description: "writes the rows into files in this folder, and needs no database",
      helpValue: "DIR",
    }),
    as: Flags.option({ options: fileFormats })({
      description:
        "with --to: as data files (csv, unless said), as JSON, or as SQL for the database of the model",
      dependsOn: ["to"],
    }),
  };

  async run() {
    const { flags, argv } = await this.parse(Seed);
    const checked = flags.to ? checkProject(flags.project) : buildableProject(flags.project);
    const { project, model } = checked;
    const request: SeedRequest = {
      entities: entitiesNamed(model, argv.map(String)),
      rows: flags.rows,
      seed: flags.seed,
      emptyFirst: flags["empty-first"],
      acceptLoss: entitiesNamed(model, flags["accept-loss"] ?? []),
    };
    if (flags.to) {
      const written = await seedFiles(
        project,
        model,
        request,
        flags.to,
        flags.as ?? "csv",
        this.report,
      );
      for (const name of written.empty)
        this.say(`! ${name} stays empty: its type can't be filled yet`);
      this.say(next(`ls ${flags.to}`, "shows them"));
      return written;
    }
    if (request.emptyFirst && !flags.yes) await this.#ask(checked, request);
    const seeded = await aloneOn(project, "seed", () =>
      seedProject(project, model, request, this.report),
    );
    if (seeded.kept) this.say(done("Kept the rows that were not sample rows", `in ${seeded.kept}`));
    if (seeded.skipped.length > 0) {
      this.say(done("Left alone, because there are rows", seeded.skipped.join(", ")));
    }
    this.say(next("levadura rise", "shows the rows in the application"));
    return seeded;
  }

  async #ask({ project, model }: Checked, request: SeedRequest): Promise<void> {
    const clearing = await clearingPreview(project, model, request);
    const named = clearing.filter(({ entity }) => request.acceptLoss?.includes(entity.name));
    const samples = clearing.reduce((sum, { counts }) => sum + counts.sample, 0);
    const others = named.flatMap(({ entity, counts }) => {
      const words = othersIn(counts);
      return words ? [`${words} of ${entity.name}, which are kept in a file`] : [];
    });
    const what = [...(samples > 0 ? [count(samples, "sample row")] : []), ...others].join("; ");
    if (what === "") return;
    if (!canAsk() || this.jsonEnabled()) {
      throw new Failure(
        "usage",
        `nothing was changed: --empty-first would delete ${what}`,
        "--yes does it without asking",
      );
    }
    if (!(await agreed(`Delete ${what}, and make new ones?`))) {
      throw new Failure("usage", "nothing was changed");
    }
  }
}
