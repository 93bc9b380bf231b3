import { Flags } from "@oclif/core";
import { Failure } from "../../core/failure.ts";
import { runHost } from "../../flows/host/run-host.ts";
import { RunningCommand } from "../command.ts";
import { hostFolderFlag } from "../host-folder.ts";
import { runUntilStopped } from "../running.ts";

export default class Host extends RunningCommand {
  static override summary = "run a place on this machine to which applications are published";
  static override description =
    "Takes what `levadura publish` sends, keeps it running, and passes on what browsers ask. Each application has a folder, a database, secrets and a log of its own, and an account of its own where this runs as root. Who may publish is decided by SSH keys: `levadura host admit` adds one. For applications over a server, HOST_POSTGRES or HOST_MARIADB is the address of one on which databases may be made.";
  static override examples = [
    {
      command: "levadura host",
      description: "on this machine only, at http://localhost:7700",
    },
    {
      command: "levadura host --folder /srv/levadura --domain bees.example --behind-proxy",
      description: "behind a proxy on this machine that does TLS",
    },
  ];
  static override flags = {
    ...hostFolderFlag,
    domain: Flags.string({
      description: "the name of the host; an application is reached by its own name in front of it",
      default: "localhost",
      helpValue: "NAME",
    }),
    listen: Flags.string({
      description: "the address to listen on",
      default: "127.0.0.1",
      helpValue: "ADDRESS",
    }),
    port: Flags.integer({
      description: "the port (7700 if left out)",
      helpValue: "N",
      min: 1,
      max: 65535,
    }),
    certificate: Flags.string({
      description:
        "the file of a certificate with its chain, for the name and all names in front of it",
      helpValue: "FILE",
      dependsOn: ["certificate-key"],
    }),
    "certificate-key": Flags.string({
      description: "the file of the key of the certificate",
      helpValue: "FILE",
      dependsOn: ["certificate"],
    }),
    "behind-proxy": Flags.boolean({
      description: "a proxy in front does TLS, and says who sent a request in X-Forwarded-For",
    }),
    "one-account": Flags.boolean({
      description: "applications run as the account of the host, even where it is root",
    }),
  };

  async run() {
    const { flags } = await this.parse(Host);
    const { folder, domain, listen, port = 7700, certificate } = flags;
    if (!/^[a-z0-9]([a-z0-9.-]{0,200}[a-z0-9])?$/.test(domain)) {
      throw new Failure("usage", `${domain} is not the name of a host`, "such as bees.example");
    }
    const chain = certificate;
    const secret = flags["certificate-key"];
    await runUntilStopped(async () => {
      const host = await runHost(
        {
          folder,
          domain,
          address: listen,
          port,
          behindProxy: flags["behind-proxy"],
          oneAccount: flags["one-account"],
          ...(chain !== undefined &&
            secret !== undefined && { certificate: { chain, key: secret } }),
        },
        this.report,
      );
      this.hint("Ctrl-C ends.");
      return host;
    });
    this.report({ kind: "stopped" });
  }
}
