import { Args, Flags } from "@oclif/core";
import { projectFlag } from "./command.ts";

/** The argument of commands that reach a host. */
export const targetArgs = {
  host: Args.string({
    description: "the address of a host; otherwise the one of the last time",
  }),
};

/** The flags of commands that reach a host. */
export const targetFlags = {
  ...projectFlag,
  as: Flags.string({
    description:
      "the name of the application on the host; otherwise that of the last time, or of the project",
    helpValue: "NAME",
  }),
  key: Flags.string({
    description: "the SSH key to sign in with; otherwise ~/.ssh/id_ed25519, id_ecdsa or id_rsa",
    helpValue: "FILE",
  }),
};

/** The target that is meant. */
export function targetRequest(
  { host }: { host: string | undefined },
  { as: name, key }: { as: string | undefined; key: string | undefined },
) {
  return { host, name, key };
}
