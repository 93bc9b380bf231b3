import { Args } from "@oclif/core";
import { takeOverReport } from "../../flows/reports/take-over.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { shown } from "../terminal.ts";
import { done, next } from "../words.ts";

export default class Report extends LevaduraCommand {
  static override summary = "write a report made in the application into the model";
  static override description =
    "Takes the address of a report, and writes it in words under `reports` of its entity in model.yaml. A report of the same name is replaced.";
  static override examples = [
    {
      command: "levadura report '/hives?layout=report&by=status' 'Hives by status'",
      description: "writes a report under a name",
    },
  ];
  static override args = {
    address: Args.string({
      required: true,
      description: "the address that the browser shows, in quotes",
    }),
    name: Args.string({ required: true, description: "what the report is called" }),
  };
  static override flags = { ...projectFlag };

  async run() {
    const { args, flags } = await this.parse(Report);
    const taken = takeOverReport(flags.project, args.address, args.name);
    const { entity, name, replaced, lines } = shown(taken);
    this.say(done(`${replaced ? "Replaced" : "Added"} the report “${name}”`, `of ${entity}`));
    this.say(lines.map((line) => `  ${line}`).join("\n"));
    this.hint(next("levadura rise", "runs the application with it"));
    return taken;
  }
}
