import { Flags } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import { checkProject } from "../../flows/check/check.ts";
import { aloneOn } from "../../flows/lock.ts";
import {
  changesToPrepare,
  type PrepareOptions,
  prepareMigration,
} from "../../flows/prepare/prepare.ts";
import { agreed, canAsk } from "../asking.ts";
import { impactText } from "../changes-words.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { done, next, warning } from "../words.ts";

export default class Prepare extends LevaduraCommand {
  static override summary = "write the next migration";
  static override description =
    "Writes a folder in migrations/ with the steps that bring the database to the model, and their SQL. Nothing is applied. A table or column is only dropped if you accept that by its name.";
  static override examples = [
    { command: "levadura prepare", description: "writes the next migration" },
    {
      command: "levadura prepare --accept-loss hive.notes",
      description: "accepts that the column is dropped",
    },
  ];
  static override flags = {
    ...projectFlag,
    name: Flags.string({
      description: "words for the name of the folder, such as queen-colour",
      helpValue: "WORDS",
    }),
    "accept-loss": Flags.string({
      description:
        "accept that this table or column is dropped, such as hive.notes; may be repeated",
      multiple: true,
      multipleNonGreedy: true,
      helpValue: "NAME",
    }),
    "own-step": Flags.string({
      description: "add a step for which you write the SQL; WORDS say what it does",
      helpValue: "WORDS",
    }),
    rewrite: Flags.boolean({
      description: "replace the newest migration, if it isn't applied yet",
    }),
    "in-two": Flags.boolean({
      description:
        "write two migrations: one that the version that runs survives, and one for when it has ended",
      exclusive: ["rewrite"],
    }),
    "discard-edits": Flags.boolean({
      description: "with --rewrite: even if its SQL was edited",
      dependsOn: ["rewrite"],
    }),
  };

  async run() {
    const { flags } = await this.parse(Prepare);
    if (flags.name && !/^[a-z0-9]+(-[a-z0-9]+)*$/.test(flags.name)) {
      throw new Failure("usage", `--name ${flags.name}: use small letters, digits and hyphens`);
    }
    const { project, model } = checkProject(flags.project);
    const formerly = new Map<string, string>();
    const acceptLoss = new Set(flags["accept-loss"]);
    const options: PrepareOptions = {
      ...(flags.name && { words: flags.name }),
      ...(flags["own-step"] && { own: flags["own-step"] }),
      again: flags.rewrite,
      discardEdits: flags["discard-edits"],
      inTwo: flags["in-two"],
      acceptLoss,
      formerly,
    };
    await this.#askForRenames(options, formerly, acceptLoss, () =>
      changesToPrepare(project, model, options),
    );
    const prepared = await aloneOn(project, "prepare", () =>
      prepareMigration(project, model, options),
    );
    if (!prepared) {
      this.say(done("Nothing to prepare: the migrations have all of the model"));
      return { prepared: null };
    }
    this.say(done(`Prepared migrations/${prepared.name}`));
    for (const step of prepared.steps) this.say(`    ${step}`);
    const { afterwards, unfit = [] } = prepared;
    if (afterwards) {
      this.say(done(`Prepared migrations/${afterwards.name}`, "for when the new version runs"));
      for (const step of afterwards.steps) this.say(`    ${step}`);
    }
    for (const reason of unfit) {
      this.warn(warning(`The version that runs doesn't survive the first: it ${reason}`));
    }
    const open = prepared.impacts.filter(
      ({ verdict, risks }) =>
        verdict === "the rows must comply" && risks.some(({ count }) => count !== undefined),
    );
    if (open.length > 0) {
      this.say(`\nIt can't be applied to this database while these rows violate it:`);
      for (const each of open) this.say(impactText(each));
    }
    if (prepared.uncounted) {
      this.say(`\nThe rows that could violate it weren't counted: ${prepared.uncounted}`);
    }
    if (flags["own-step"]) {
      this.say(
        `\nWrite the SQL of your step where migrations/${prepared.name} says that there is none.`,
      );
    }
    this.hint(
      open.length > 0
        ? next("levadura changes", "shows them again, once they are corrected")
        : next("levadura migrate", "applies it to the database"),
    );
    return { prepared };
  }

  /** Asks a person about each name that is removed while another one is added. */
  async #askForRenames(
    options: PrepareOptions,
    formerly: Map<string, string>,
    acceptLoss: Set<string>,
    changes: () => ReturnType<typeof changesToPrepare>,
  ): Promise<void> {
    if (options.again) return;
    let { renames } = await changes();
    while (renames.length > 0 && canAsk() && !this.jsonEnabled()) {
      const [rename] = renames;
      if (!rename) return;
      const { table, column, to } = rename;
      const from = column ? `${table}.${column}` : table;
      const now = column ? `${table}.${to}` : to;
      if (await agreed(`${from} is no longer in the model, and ${now} is new. Was it renamed?`)) {
        formerly.set(now, column ?? table);
      } else if (await agreed(`Then ${from} is dropped with its data. Is that right?`)) {
        acceptLoss.add(from);
      } else throw new Failure("input", "nothing was prepared");
      ({ renames } = await changes());
    }
  }
}
