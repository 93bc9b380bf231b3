import { checkProject } from "../../flows/check/check.ts";
import { type KeptSummary, listKept } from "../../flows/kept/kept.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { shown } from "../terminal.ts";
import { count, next, table } from "../words.ts";

export default class Kept extends LevaduraCommand {
  static override summary = "list rows and values that were kept before they were deleted";
  static override description =
    "Whatever a command deletes is first kept in a file in kept/. This lists those files, the oldest first.";
  static override examples = [
    { command: "levadura kept", description: "lists what can be restored" },
  ];
  static override flags = { ...projectFlag };

  async run() {
    const { flags } = await this.parse(Kept);
    const { project } = checkProject(flags.project);
    const kept = await listKept(project);
    if (kept.length === 0) {
      this.say("Nothing was kept: no command has deleted rows that anybody entered.");
      return { kept };
    }
    this.say(table(shown(kept).map((each) => [each.name, whenOf(each), holdsText(each)])));
    this.hint(next("levadura restore NAME", "puts back those that are no longer in the database"));
    return { kept };
  }
}

function whenOf({ time }: KeptSummary): string {
  return time.slice(0, 16).replace("T", " ");
}

function holdsText({ holds, files }: KeptSummary): string {
  if (files !== undefined) return count(files, "file");
  const parts = holds.map(({ table: name, column, rows }) =>
    column ? `${count(rows, "value")} of ${name}.${column}` : `${count(rows, "row")} of ${name}`,
  );
  return parts.join(", ") || "no rows";
}
