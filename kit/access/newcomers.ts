import type { Access } from "./access.ts";
import { firstOrganisation } from "./accounts.ts";

/**
 * Where people who sign up begin: in the groups for newcomers, of the first organisation if there are several. Those who
 * belong to none of its groups, and whom nobody has to let in, begin an organisation of their own.
 */
export function placeOfNewcomers({ organisations, signUp, newcomers = [] }: Access) {
  if (!organisations) return { groups: newcomers };
  const isInFirst = signUp === "confirmed" || newcomers.length > 0;
  return { groups: newcomers, organisation: isInFirst ? firstOrganisation : 0 };
}
