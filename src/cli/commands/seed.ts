import { Args, Flags } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import { type Checked, checkProject } from "../../flows/check/check.ts";
import { aloneOn } from "../../flows/lock.ts";
import { othersIn } from "../../flows/rows/clear-rows.ts";
import { seedFiles } from "../../flows/seed/files.ts";
import { entitiesNamed, type SeedRequest } from "../../flows/seed/order.ts";
import { clearingPreview, seedPreview, seedProject } from "../../flows/seed/seed.ts";
import { fileFormats } from "../../flows/seed/writers.ts";
import { agreed, canAsk } from "../asking.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { count, done, next, warning } from "../words.ts";

export default class Seed extends LevaduraCommand {
  static override summary = "fill the database with sample rows";
  static override description =
    "Makes sample rows that obey the model, the same ones every time. Without names, it fills every entity that has no rows of your own, and makes a sample person for each group of users.";
  static override examples = [
    { command: "levadura seed", description: "fills all entities" },
    { command: "levadura seed Hive --rows 5000", description: "brings hives to 5,000 sample rows" },
    { command: "levadura seed --to samples --as json", description: "writes files instead" },
  ];
  static override strict = false;
  static override args = {
    entity: Args.string({ description: "the entities to fill" }),
  };
  static override flags = {
    ...projectFlag,
    rows: Flags.integer({
      description:
        "the number of sample rows for each named entity; without names, for all together",
      min: 0,
      max: 100_000_000,
      helpValue: "N",
    }),
    seed: Flags.integer({
      description: "the number that decides which rows are made; otherwise 1, or that of last time",
      helpValue: "N",
    }),
    "empty-first": Flags.boolean({
      description: "first delete the sample rows that exist; asks",
      exclusive: ["to"],
    }),
    "accept-loss": Flags.string({
      description:
        "with --empty-first: delete all rows of this entity, even imported ones and your own; they are kept in a file",
      dependsOn: ["empty-first"],
      multiple: true,
      multipleNonGreedy: true,
      helpValue: "ENTITY",
    }),
    yes: Flags.boolean({ char: "y", description: "don't ask" }),
    "dry-run": Flags.boolean({
      description: "print how many rows would be made, and make none",
      exclusive: ["to"],
    }),
    to: Flags.string({
      description: "write the rows into files in this folder; needs no database",
      helpValue: "DIR",
    }),
    as: Flags.option({ options: fileFormats })({
      description: "with --to: the format; sql is for the database of the model (csv if left out)",
      dependsOn: ["to"],
    }),
  };

  async run() {
    const { flags, argv } = await this.parse(Seed);
    const checked = flags.to ? checkProject(flags.project) : checkProject(flags.project);
    const { project, model } = checked;
    const request: SeedRequest = {
      entities: entitiesNamed(model, argv.map(String)),
      rows: flags.rows,
      seed: flags.seed,
      emptyFirst: flags["empty-first"],
      acceptLoss: entitiesNamed(model, flags["accept-loss"] ?? []),
      people: argv.length === 0,
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
      this.hint(next(`ls ${flags.to}`, "shows them"));
      return written;
    }
    if (flags["dry-run"]) {
      const planned = await seedPreview(project, model, request);
      for (const { entity, rows } of planned.rows) this.say(`${entity}: ${count(rows, "row")}`);
      if (planned.rows.length === 0) this.say(done("No sample rows would be made"));
      this.#tellSkipped(planned);
      return planned;
    }
    if (request.emptyFirst && !flags.yes) await this.#ask(checked, request);
    const seeded = await aloneOn(project, "seed", () =>
      seedProject(project, model, request, this.report),
    );
    if (seeded.kept) this.say(done("Kept the rows that were not sample rows", `in ${seeded.kept}`));
    this.#tellSkipped(seeded);
    this.hint(next("levadura rise", "shows the rows in the application"));
    return seeded;
  }

  #tellSkipped({ skipped, surplus }: { skipped: string[]; surplus: Record<string, number> }): void {
    for (const [name, samples] of Object.entries(surplus)) {
      const words = `${name} has ${count(samples, "sample row")} already`;
      this.warn(warning(`${words}; with --empty-first there will be as many as you ask for`));
    }
    const others = skipped.filter((name) => !Object.hasOwn(surplus, name));
    if (others.length > 0) this.tell(done("Left alone, because they have rows", others.join(", ")));
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
