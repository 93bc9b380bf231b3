import { Flags } from "@oclif/core";
import ansis from "ansis";
import { Failure } from "../../core/failure.ts";
import { type ArchiveSettings, archiveProject, platformHere } from "../../flows/publish/archive.ts";
import { publishProject } from "../../flows/publish/publish.ts";
import { LevaduraCommand } from "../command.ts";
import { targetArgs, targetFlags, targetRequest } from "../target-flags.ts";
import { done, moment, next, size } from "../words.ts";

export default class Publish extends LevaduraCommand {
  static override summary = "publish the application to a host";
  static override description =
    "Packs the application with all that it needs, and sends what the host lacks of it. The host backs the data up, applies the migrations, starts the new version beside the old one, and passes requests on to it once it answers. Whatever fails is undone, and the old version goes on. `levadura host` runs a host.";
  static override examples = [
    {
      command: "levadura publish https://bees.example",
      description: "publishes to a host; the next time, `levadura publish` is enough",
    },
    {
      command: "levadura publish --preview",
      description: "a copy for a week, with sample rows and a password",
    },
    {
      command: "levadura publish --to release",
      description:
        "for a machine without a host: an archive, and files for the usual ways to run it",
    },
    {
      command: "levadura publish --preview --rows copy --days 2",
      description: "the same with a copy of the rows that people entered",
    },
  ];
  static override args = targetArgs;
  static override flags = {
    ...targetFlags,
    to: Flags.string({
      description:
        "write an archive that runs with Node alone into a new folder, with files for systemd, containers, nginx and Caddy, instead of publishing to a host",
      helpValue: "FOLDER",
      exclusive: ["preview", "administrator", "key", "open-to-everyone"],
    }),
    for: Flags.string({
      description:
        "with --to: the kind of machine on which it runs, such as linux-x64-glibc or linux-arm64-musl; otherwise one like this",
      helpValue: "PLATFORM",
      dependsOn: ["to"],
    }),
    administrator: Flags.string({
      description: "makes a link by which the first administrator chooses a password",
      helpValue: "NAME",
    }),
    "open-to-everyone": Flags.boolean({
      description: "lets whoever finds the application do everything, where nobody signs in",
    }),
    preview: Flags.boolean({
      description: "make a copy under an address and a password of its own, which ends by itself",
    }),
    rows: Flags.string({
      description: "the rows of a preview: made up, or a copy of those of the application",
      options: ["sample", "copy"],
      default: "sample",
    }),
    days: Flags.integer({
      description: "after how many days a preview ends (7 if left out)",
      helpValue: "N",
      min: 1,
      max: 90,
    }),
  };

  async run() {
    const { args, flags } = await this.parse(Publish);
    const { preview, rows, days = 7, administrator } = flags;
    if (!preview && (flags.days !== undefined || rows !== "sample")) {
      throw new Failure("usage", "--rows and --days are for previews", "add --preview");
    }
    if (flags.to !== undefined) {
      if (args.host !== undefined) {
        throw new Failure("usage", "--to writes a folder, so no host is named with it");
      }
      const platform = flags.for ?? platformHere();
      return this.#archive(flags.project, { to: flags.to, name: flags.as, platform });
    }
    const published = await publishProject(
      flags.project,
      {
        ...targetRequest(args, flags),
        ...(preview && { preview: { rows: rows as "sample" | "copy", days } }),
        open: flags["open-to-everyone"],
        administrator,
      },
      this.report,
    );
    const { address, version, password, until, welcome } = published;
    if (password === undefined) {
      this.say(done(`Version ${version} is at ${ansis.bold(address)}`));
    } else {
      this.say(done(`The preview is at ${ansis.bold(address)}`, `until ${moment(until ?? "")}`));
      this.say(`  Its password is ${ansis.bold(password)}, with any name. It is shown only now.`);
    }
    if (welcome !== undefined) {
      this.say(done(`The first administrator chooses a password at ${ansis.bold(welcome)}`));
    }
    this.hint(next("levadura publish status", "shows versions, backups and previews"));
    return published;
  }

  async #archive(project: string, settings: ArchiveSettings) {
    const archived = await archiveProject(project, settings, this.report);
    const { folder, files, bytes } = archived;
    const [archive = "", ...others] = files;
    this.say(done(`Wrote ${archive}`, size(bytes)));
    this.say(done(`Wrote ${others.join(", ")}`, `beside it in ${folder}`));
    this.hint(next(`less ${settings.to}/README.md`, "says how it is run in each of these ways"));
    return archived;
  }
}
