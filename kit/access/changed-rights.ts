import type { Action } from "./action.ts";

/** What administrators changed of the rights of the model, by `rightKey`. */
export type ChangedRights = ReadonlyMap<string, "all" | "none">;

export function rightKey(group: string, table: string, action: Action): string {
  return `${group} ${table} ${action}`;
}
