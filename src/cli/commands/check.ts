import { Flags } from "@oclif/core";
import { modelJsonSchema } from "../../core/model/shapes.ts";
import { checkProject, updateFormulas } from "../../flows/check/check.ts";
import { LevaduraCommand, projectFlag } from "../command.ts";
import { count, diagnosticText, done, next } from "../words.ts";

export default class Check extends LevaduraCommand {
  static override summary = "validate the model";
  static override description =
    "Reports every mistake in model.yaml at once, each with its line and column. `--schema` prints the JSON Schema by which editors complete and check a model.";
  static override examples = [
    { command: "levadura check", description: "validates the model" },
    { command: "levadura check --fix", description: "updates formulas after renaming a field" },
  ];
  static override flags = {
    ...projectFlag,
    schema: Flags.boolean({ description: "print the JSON Schema of model files instead" }),
    fix: Flags.boolean({
      description: "first replace the old names of renamed fields in formulas",
    }),
  };

  async run() {
    const { flags } = await this.parse(Check);
    if (flags.schema) {
      if (!this.jsonEnabled()) this.say(JSON.stringify(modelJsonSchema(), null, 2));
      return modelJsonSchema();
    }
    const updated = flags.fix ? updateFormulas(flags.project) : 0;
    if (updated > 0) this.say(done("Formulas follow their fields", count(updated, "name")));
    else if (flags.fix) this.say("No formula has an old name.");
    const { model, notes } = checkProject(flags.project);
    const fields = model.entities.flatMap((entity) => entity.fields);
    for (const note of notes) this.warn(`${diagnosticText(note)}\n`);
    const summary = `${count(model.entities.length, "entity", "entities")}, ${count(fields.length, "field")}`;
    this.say(done("The model is valid", summary));
    this.hint(next("levadura rise", "runs the application and follows the model"));
    return {
      entities: model.entities.length,
      fields: fields.length,
      notes,
      ...(flags.fix && { updated }),
    };
  }
}
