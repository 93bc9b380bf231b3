import type { Label } from "../entity/label.ts";
import type { Action } from "./action.ts";

/** Who may do what in an application in which people sign in. */
export interface Access {
  /** What the groups are called, by their names. */
  groups: Readonly<Record<string, Label>>;
  /** What each group may do, by the table of an entity and the name of the group. */
  rights: Readonly<Record<string, Readonly<Record<string, readonly Action[]>>>>;
}
