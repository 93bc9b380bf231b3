import { Args, Flags } from "@oclif/core";
import { admit } from "../../../flows/host/run-host.ts";
import { LevaduraCommand } from "../../command.ts";
import { hostFolderFlag } from "../../host-folder.ts";
import { done } from "../../words.ts";

export default class HostAdmit extends LevaduraCommand {
  static override summary = "let somebody publish to the host on this machine";
  static override description =
    "Adds a public SSH key to those whose owners may publish, also while the host runs. To shut somebody out, delete the line in the file `keys` of the host.";
  static override examples = [
    { command: "levadura host admit ~/.ssh/id_ed25519.pub", description: "admits yourself" },
    {
      command: "levadura host admit ben.pub --name Ben --folder /srv/levadura",
      description: "admits a colleague, under that name in the log of the host",
    },
  ];
  static override args = {
    key: Args.string({ description: "the file of a public SSH key", required: true }),
  };
  static override flags = {
    ...hostFolderFlag,
    name: Flags.string({
      description: "the name of the owner; otherwise that in the key",
      helpValue: "NAME",
    }),
  };

  async run() {
    const { args, flags } = await this.parse(HostAdmit);
    const name = admit(flags.folder, args.key, flags.name);
    this.say(done(`${name} may publish to the host in ${flags.folder}`));
    return { admitted: name };
  }
}
