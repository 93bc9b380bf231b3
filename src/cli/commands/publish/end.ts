import { Args } from "@oclif/core";
import { endPublishedPreview } from "../../../flows/publish/look.ts";
import { LevaduraCommand } from "../../command.ts";
import { targetFlags, targetRequest } from "../../target-flags.ts";
import { done } from "../../words.ts";

export default class PublishEnd extends LevaduraCommand {
  static override summary = "end a preview before its time";
  static override description =
    "Removes a preview with its database and files. Applications that were published stay.";
  static override examples = [
    {
      command: "levadura publish end hive-book--4f2a",
      description: "the preview of that name, as `levadura publish status` lists it",
    },
  ];
  static override args = {
    preview: Args.string({ description: "the name of the preview", required: true }),
    host: Args.string({ description: "the address of a host; otherwise the one of the last time" }),
  };
  static override flags = targetFlags;

  async run() {
    const { args, flags } = await this.parse(PublishEnd);
    await endPublishedPreview(flags.project, targetRequest(args, flags), args.preview);
    this.tell(done(`Ended ${args.preview}`));
    return { ended: args.preview };
  }
}
