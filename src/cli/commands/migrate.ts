import { Flags } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import type { Model } from "../../core/model/model.ts";
import { type Checked, checkProject } from "../../flows/check/check.ts";
import { aloneOn } from "../../flows/lock.ts";
import { migrateLosses, migrateProject, putInOrder } from "../../flows/migrate/migrate.ts";
import { clearDatabase, clearingOf } from "../../flows/migrate/reset-database.ts";
import { agreed, canAsk } from "../asking.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { askAboutLosses } from "../losses.ts";
import { count, done, next } from "../words.ts";

export default class Migrate extends LevaduraCommand {
  static override summary = "bring the database to the newest migration, or to a named one";
  static override description =
    "Applies the pending migrations in order. With `--to` it can also go back; it then says which rows and values that deletes, keeps them in a file, and asks.";
  static override examples = [
    { command: "levadura migrate", description: "applies what is pending" },
    { command: "levadura migrate --to 3", description: "goes to the third migration" },
  ];
  static override flags = {
    ...projectFlag,
    to: Flags.string({
      description: "the number or name of a migration; 0 is before the first",
      helpValue: "N",
    }),
    yes: Flags.boolean({ char: "y", description: "with --to: go back without asking" }),
    "in-order": Flags.boolean({
      description: "first renumber pending migrations that come before applied ones",
    }),
    "start-over": Flags.boolean({
      description: "keep a copy of the database, empty it, and apply all migrations",
    }),
    database: Flags.string({
      description: "with --start-over: the name of the database, needed if it has rows of your own",
      dependsOn: ["start-over"],
      helpValue: "NAME",
    }),
  };

  async run() {
    const { flags } = await this.parse(Migrate);
    const { project, model } = checkProject(flags.project);
    const moved = flags["in-order"] ? await this.#putInOrder(project, model) : [];
    const copy = flags["start-over"] ? await this.#clear(project, flags.database) : undefined;
    const lost = flags.to === undefined ? [] : await migrateLosses(project, model, flags.to);
    await askAboutLosses(lost, `levadura ${["migrate", ...this.argv].join(" ")}`, {
      yes: flags.yes,
      json: this.jsonEnabled(),
      say: (text) => this.say(text),
    });
    const { applied, rewound } = await aloneOn(project, "migrate", () =>
      migrateProject(project, model, this.report, flags.to),
    );
    if (applied.length + rewound.length === 0) {
      this.say(done("Nothing to apply: the database is up to date"));
    }
    this.hint(
      next(
        "levadura rise",
        "builds and runs the application; `levadura seed` fills entities without rows",
      ),
    );
    return {
      applied: applied.map(({ name }) => name),
      rewound: rewound.map(({ name }) => name),
      findings: [...rewound, ...applied].flatMap(({ findings }) => findings),
      ...(lost.length > 0 && { lost }),
      ...(moved.length > 0 && { moved }),
      ...(copy && { copy }),
    };
  }

  async #putInOrder(project: Checked["project"], model: Model) {
    const moved = await aloneOn(project, "migrate", () => putInOrder(project, model));
    for (const { from, to } of moved) this.say(done(`${from} is called ${to} now`));
    if (moved.length === 0) this.say(done("The migrations are in order"));
    return moved;
  }

  async #clear(
    project: Checked["project"],
    named: string | undefined,
  ): Promise<string | undefined> {
    const clearing = await clearingOf(project);
    if (!clearing) return undefined;
    const { database, rows, own } = clearing;
    if (named !== undefined && named !== database) {
      throw new Failure("usage", `--database ${named}: this project's database is ${database}`);
    }
    const total = Object.values(rows).reduce((sum, each) => sum + each, 0);
    const what = `${database} has ${count(total, "row")}${own > 0 ? `, ${own.toLocaleString("en")} of them not made by seeding` : ""}`;
    if (named === undefined && (own > 0 || !canAsk() || this.jsonEnabled())) {
      throw new Failure(
        "usage",
        `nothing was changed: ${what}`,
        `to empty it anyway, name it: levadura migrate --start-over --database ${database}`,
      );
    }
    if (named === undefined && !(await agreed(`${what}. Empty it and start over?`))) {
      throw new Failure("usage", "nothing was changed");
    }
    const copy = await aloneOn(project, "migrate", () => clearDatabase(project));
    this.say(done(`Cleared ${database}`, `a copy is in ${copy}`));
    return copy;
  }
}
