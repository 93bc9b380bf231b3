import { Flags } from "@oclif/core";
import { Failure } from "../../../core/failure.ts";
import { publishedSecrets, setPublishedSecret } from "../../../flows/publish/look.ts";
import { secretFrom } from "../../asking.ts";
import { LevaduraCommand } from "../../command.ts";
import { targetArgs, targetFlags, targetRequest } from "../../target-flags.ts";
import { done } from "../../words.ts";

export default class PublishSecrets extends LevaduraCommand {
  static override summary = "list, set and remove the secrets of a published application";
  static override description =
    "A secret is a variable of the environment that only the host and the application know, such as SMTP_URL. Its value is read from standard input, so that it is in no history of a shell; it is never shown again. An application that runs is started again with it.";
  static override examples = [
    { command: "levadura publish secrets", description: "lists the names" },
    {
      command: "levadura publish secrets --set SMTP_URL < smtp-url.txt",
      description: "sets one; in a terminal, it is asked for",
    },
    { command: "levadura publish secrets --remove SMTP_URL", description: "removes one" },
  ];
  static override args = targetArgs;
  static override flags = {
    ...targetFlags,
    set: Flags.string({ description: "the secret to set", helpValue: "NAME" }),
    remove: Flags.string({
      description: "the secret to remove",
      helpValue: "NAME",
      exclusive: ["set"],
    }),
  };

  async run() {
    const { args, flags } = await this.parse(PublishSecrets);
    const target = targetRequest(args, flags);
    const { set, remove } = flags;
    const name = set ?? remove;
    if (name !== undefined) {
      const value = set === undefined ? null : await secretFrom(`The value of ${set}`);
      if (value === "") throw new Failure("usage", "there was no value on standard input");
      await setPublishedSecret(flags.project, target, { name, value }, this.report);
      this.tell(done(set === undefined ? `Removed ${name}` : `Set ${name}`));
    }
    const secrets = await publishedSecrets(flags.project, target);
    if (name === undefined) this.say(secrets.length > 0 ? secrets.join("\n") : "There are none.");
    return { secrets };
  }
}
