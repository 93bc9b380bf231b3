import { Flags } from "@oclif/core";
import { standingOf } from "../../flows/changes.ts";
import { buildableProject } from "../../flows/check.ts";
import { brokenText, standingText } from "../changes-words.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { done, next } from "../words.ts";

/** The exit status that tells scripts that something is pending. */
const pendingStatus = 4;

export default class Changes extends LevaduraCommand {
  static override description =
    "What stands between model, migrations and database, and what each change does to the rows.";
  static override flags = {
    ...projectFlag,
    sql: Flags.boolean({ description: "shows the statements as well" }),
    check: Flags.boolean({ description: "ends with status 4 when something is pending" }),
  };

  async run() {
    const { flags } = await this.parse(Changes);
    const { project, model } = buildableProject(flags.project);
    const { sql, ...standing } = await standingOf(project, model, { rules: true });
    const { pending, unprepared, deviations, broken, renames } = standing;
    const open = pending.length + unprepared.length + deviations.length > 0;
    if (open) this.say(standingText({ ...standing, sql }));
    else this.say(done("Nothing: model, migrations and database agree"));
    if (broken.length > 0) this.say(brokenText(broken));
    if (flags.sql && sql.trim() !== "") this.say(`\n${sql.trimEnd()}`);
    for (const { table, column, to, line } of renames) {
      const from = column ? `${table}.${column}` : table;
      this.say(`\nIf ${from} is called ${to} now, add \`${line}\` to it in the model.`);
    }
    if (unprepared.length > 0) this.say(next("levadura prepare", "writes a migration for the model"));
    else if (pending.length > 0) this.say(next("levadura migrate", "applies what is pending"));
    if (flags.check && open) process.exitCode = pendingStatus;
    return { ...standing, ...(flags.sql && { sql }) };
  }
}
