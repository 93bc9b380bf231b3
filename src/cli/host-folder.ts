import { Flags } from "@oclif/core";

/** The flag of commands that work on a host. */
export const hostFolderFlag = {
  folder: Flags.string({
    description: "the folder of the host, in which everything is",
    default: "levadura-host",
    helpValue: "DIR",
  }),
};
