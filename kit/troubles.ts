import type { Trouble } from "./database/database.ts";

/** What people read of a trouble with the database. */
export const troubles: Readonly<Record<Trouble, string>> = {
  conflict: "Others were changing the same records. Try again.",
  busy: "Others were saving for too long. Try again in a moment.",
  lost: "The connection to the database was lost. Try again in a moment.",
  slow: "The database took too long to answer. Try again later.",
  unreachable: "The database can’t be reached. Try again later.",
};
