import { Args } from "@oclif/core";
import ansis from "ansis";
import { Failure } from "../../core/failure.ts";
import { buildableProject } from "../../flows/check.ts";
import { type Restored, restoreKept } from "../../flows/kept.ts";
import { aloneOn } from "../../flows/lock.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { count, done, next } from "../words.ts";

export default class Restore extends LevaduraCommand {
  static override description = `Puts kept rows and values back into the database.
Rows and values that are there stay as they are; what doesn't fit any more is listed.`;
  static override args = {
    name: Args.string({
      description: "what to put back, as `levadura kept` lists it",
      required: true,
    }),
  };
  static override flags = { ...projectFlag };

  async run() {
    const { args, flags } = await this.parse(Restore);
    const { project, model } = buildableProject(flags.project);
    const restored = await aloneOn(project, "restore", () =>
      restoreKept(project, model, args.name, this.report),
    );
    for (const each of restored) this.say(restoredText(each));
    const left = restored.some(({ refused, impossible }) => refused.count > 0 || impossible);
    if (left && restored.every((each) => each.restored === 0)) {
      throw new Failure("input", "nothing was put back", "change the model or the rows first");
    }
    this.say(next("levadura rise", "shows the rows in the application"));
    return { restored };
  }
}

function restoredText({ table, column, restored, there, refused, impossible }: Restored): string {
  const place = column ? `${table}.${column}` : table;
  if (impossible) return `${ansis.yellow("!")} ${place}: ${impossible}`;
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
      `${ansis.yellow("!")} ${count(refused.count, thing)} of ${place} can't be put back: ${first}${more}`,
    );
  }
  return lines.join("\n");
}
