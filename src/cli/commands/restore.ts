import { Args } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import { checkProject } from "../../flows/check/check.ts";
import { type Restored, restoreFiles, restoreKept } from "../../flows/kept/kept.ts";
import { aloneOn } from "../../flows/lock.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { count, done, next, warning } from "../words.ts";

export default class Restore extends LevaduraCommand {
  static override summary = "put kept rows, values and files back";
  static override description =
    "Rows and values that exist stay as they are. Those that no longer fit are listed.";
  static override examples = [
    { command: "levadura kept", description: "shows the names" },
    { command: "levadura restore 0004-drop-notes", description: "puts one of them back" },
  ];
  static override args = {
    name: Args.string({
      description: "the name that `levadura kept` shows",
      required: true,
    }),
  };
  static override flags = { ...projectFlag };

  async run() {
    const { args, flags } = await this.parse(Restore);
    const { project, model } = checkProject(flags.project);
    const files = await aloneOn(project, "restore", () => restoreFiles(project, args.name));
    if (files !== undefined) {
      this.say(done(`Put back ${count(files, "file")}`));
      return { restored: [], files };
    }
    const restored = await aloneOn(project, "restore", () =>
      restoreKept(project, model, args.name, this.report),
    );
    for (const each of restored) this.say(restoredText(each));
    const left = restored.some(({ refused, impossible }) => refused.count > 0 || impossible);
    if (left && restored.every((each) => each.restored === 0)) {
      throw new Failure("input", "nothing was put back", "change the model or the rows first");
    }
    this.hint(next("levadura rise", "shows the rows in the application"));
    return { restored };
  }
}

function restoredText({ table, column, restored, there, refused, impossible }: Restored): string {
  const place = column ? `${table}.${column}` : table;
  if (impossible) return warning(`${place}: ${impossible}`);
  const thing = column ? "value" : "row";
  const lines = [
    done(
      `Put back ${count(restored, thing)} of ${place}`,
      there > 0
        ? `${there.toLocaleString("en")} left alone: they are there, or have another value`
        : "",
    ),
  ];
  if (refused.count > 0) {
    const more = refused.count > refused.first.length ? ", …" : "";
    const first = refused.first.map(({ id, reason }) => `row ${id}: ${reason}`).join("; ");
    lines.push(
      warning(`${count(refused.count, thing)} of ${place} can't be put back: ${first}${more}`),
    );
  }
  return lines.join("\n");
}
