/** What can be done with the records of an entity. */
export const actions = ["see", "add", "change", "delete", "history", "export"] as const;
export type Action = (typeof actions)[number];

/** What happened to a record, or to somebody's account. */
export type LoggedAction =
  | "add"
  | "change"
  | "delete"
  | "sign in"
  | "sign in refused"
  | "sign out"
  | "password"
  | "token"
  | "invite"
  | "account"
  | "remove account"
  | "organisation"
  | "rights"
  | "export"
  | "refused";
