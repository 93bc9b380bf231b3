import ansis from "ansis";
import { type HostedStatus, publishedStatus } from "../../../flows/publish/look.ts";
import { LevaduraCommand } from "../../command.ts";
import { targetArgs, targetFlags, targetRequest } from "../../target-flags.ts";
import { shown } from "../../terminal.ts";
import { moment, size, table } from "../../words.ts";

export default class PublishStatus extends LevaduraCommand {
  static override summary = "show what runs on a host: versions, backups and previews";
  static override description =
    "Shows whether the application runs, since when and by whom each version was published, which backups there are, and until when previews run.";
  static override examples = [
    { command: "levadura publish status", description: "on the host of the last time" },
    {
      command: "levadura publish status --json",
      description: "for a script that watches it: `state` is runs, starts or failed",
    },
  ];
  static override args = targetArgs;
  static override flags = targetFlags;

  async run() {
    const { args, flags } = await this.parse(PublishStatus);
    const status = await publishedStatus(flags.project, targetRequest(args, flags), this.report);
    this.say(statusText(shown(status)));
    return status;
  }
}

const states: Readonly<Record<HostedStatus["state"], (text: string) => string>> = {
  runs: ansis.green,
  starts: ansis.yellow,
  failed: ansis.red,
  unpublished: ansis.dim,
};

function statusText(status: HostedStatus): string {
  const { title, address, state, versions, current, backups, previews, secrets, restarts } = status;
  const died = restarts > 0 ? `, started again ${restarts} times by itself` : "";
  const parts = [
    `${ansis.bold(title)} ${states[state](state)} at ${ansis.bold(address)}${ansis.dim(died)}`,
    "",
    ansis.bold("Versions"),
    table(
      versions
        .toReversed()
        .map(({ number, at, by, migrations }) => [
          number === current ? ansis.green(`  ${number} runs`) : `  ${number}`,
          moment(at),
          by,
          ansis.dim(migrations.at(-1) ?? "no migrations"),
        ]),
    ),
  ];
  if (backups.length > 0) {
    const rows = backups.map(({ name, bytes }) => [`  ${name}`, size(bytes), before(status, name)]);
    parts.push("", ansis.bold("Backups"), table(rows));
  }
  if (previews.length > 0) {
    const rows = previews.map((each) => [
      `  ${each.address}`,
      each.rows === "copy" ? "a copy of the rows" : "sample rows",
      `until ${moment(each.until)}`,
    ]);
    parts.push("", ansis.bold("Previews"), table(rows));
  }
  if (secrets.length > 0) parts.push("", ansis.bold("Secrets"), `  ${secrets.join(", ")}`);
  return parts.join("\n");
}

/** What a backup was made before. */
function before({ versions }: HostedStatus, name: string): string {
  const version = versions.find(({ backup }) => backup === name);
  return ansis.dim(version ? `before version ${version.number}` : "");
}
