import { Flags } from "@oclif/core";
import { reportChanges } from "../../flows/changes/changes.ts";
import { checkProject } from "../../flows/check/check.ts";
import { brokenText, changesText } from "../changes-words.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { done, next } from "../words.ts";

/** The exit status that tells scripts that something is pending. */
const pendingStatus = 4;

export default class Changes extends LevaduraCommand {
  static override summary = "show how the model, the migrations and the database differ";
  static override description =
    "Says in a sentence each what a change does to the rows that exist: which rows violate it, and what would be lost. Changes nothing.";
  static override examples = [
    { command: "levadura changes", description: "shows what is pending" },
    {
      command: "levadura changes --sql > next.sql",
      description: "writes the statements to a file",
    },
    {
      command: "levadura changes --check",
      description: "lets a script know that changes are pending",
    },
  ];
  static override flags = {
    ...projectFlag,
    sql: Flags.boolean({
      description: "print the SQL on standard output, and the rest on standard error",
    }),
    check: Flags.boolean({ description: "exit with status 4 if changes are pending" }),
  };

  async run() {
    const { flags } = await this.parse(Changes);
    const { project, model } = checkProject(flags.project);
    const { sql, ...changes } = await reportChanges(project, model, { rules: true });
    const { pending, unprepared, drift, broken, renames } = changes;
    const open = pending.length + unprepared.length + drift.length > 0;
    // With --sql, standard output is for a program that runs it.
    const report = (text: string) => (flags.sql ? this.warn(text) : this.say(text));
    if (open) report(changesText({ ...changes, sql }));
    else report(done("Nothing: the model, the migrations and the database agree"));
    if (broken.length > 0) report(brokenText(broken));
    for (const { table, column, to, line } of renames) {
      const from = column ? `${table}.${column}` : table;
      report(`\nIf ${from} was renamed to ${to}, add \`${line}\` to it in the model.`);
    }
    if (flags.sql && sql.trim() !== "") this.say(sql.trim());
    if (unprepared.length > 0) {
      this.hint(next("levadura prepare", "writes a migration for the model"));
    } else if (pending.length > 0) this.hint(next("levadura migrate", "applies what is pending"));
    if (flags.check && open) process.exitCode = pendingStatus;
    return { ...changes, ...(flags.sql && { sql }) };
  }
}
