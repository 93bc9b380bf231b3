import { inTransaction } from "../store/transactions.ts";
import { accountTables } from "./account-tables.ts";
import { firstOrganisation, membersOf } from "./accounts.ts";
import { groupLabels } from "./group-labels.ts";
import type { Scope } from "./scope.ts";

/** How many groups an organisation can have besides those of the model. */
const mostGroups = 100;

/** A group that administrators made. */
export interface OwnGroup {
  id: number;
  /** What memberships and rights call it; no group of a model can be called so. */
  name: string;
  label: string;
}

/** Whether a group is one that administrators made, by its name. */
export function isOwnGroup(name: string): boolean {
  return name.startsWith("own:");
}

/** The groups that administrators of the organisation made; none where the model says which rights there are. */
export async function ownGroups({ access, organisation, db }: Scope): Promise<OwnGroup[]> {
  if (access?.rightsAre !== "start") return [];
  const found = await accountTables(db)
    .selectFrom("levadura_group")
    .select(["id", "label"])
    .where("organisation_id", "=", organisation ?? firstOrganisation)
    .orderBy("id")
    .execute();
  return found.map(({ id, label }) => ({ id, name: `own:${id}`, label }));
}

/** All groups that somebody can be put into, by their names, with what people read. */
export async function allGroups(scope: Scope): Promise<[string, string][]> {
  const own = await ownGroups(scope);
  const added = own.map(({ name, label }): [string, string] => [name, label]);
  const given = groupLabels(scope);
  // Administrators come last.
  return [...given.slice(0, -1), ...added, ...given.slice(-1)];
}

/** Makes a group, or gives one another label; undefined where there is one of that label, or there are too many. */
export async function keepGroup(
  scope: Scope,
  label: string,
  id?: number,
): Promise<string | undefined> {
  const groups = await allGroups(scope);
  const same = (text: string) => text.normalize("NFC").toLowerCase();
  const others = groups.filter(([name]) => name !== `own:${id}`);
  if (others.some(([, text]) => same(text) === same(label)) || groups.length > mostGroups)
    return undefined;
  const db = accountTables(scope.db);
  const organisation = scope.organisation ?? firstOrganisation;
  if (id !== undefined) {
    await db
      .updateTable("levadura_group")
      .set({ label })
      .where("id", "=", id)
      .where("organisation_id", "=", organisation)
      .execute();
    return `own:${id}`;
  }
  const made = await db
    .insertInto("levadura_group")
    .values({ organisation_id: organisation, label })
    .returning("id")
    .executeTakeFirstOrThrow();
  return `own:${made.id}`;
}

/** How many people are in a group. */
export async function membersIn(scope: Scope, { name }: OwnGroup): Promise<number> {
  const members = membersOf(accountTables(scope.db), scope.organisation ?? firstOrganisation);
  return (await members.where("group_name", "=", name).execute()).length;
}

/** Takes a group away, with its rights and what was shared with it; who was in it stays without it. */
export async function removeGroup(scope: Scope, { id, name }: OwnGroup): Promise<void> {
  await inTransaction(accountTables(scope.db), async (trx) => {
    for (const table of ["levadura_membership", "levadura_right", "levadura_view"] as const) {
      await trx.deleteFrom(table).where("group_name", "=", name).execute();
    }
    await trx.deleteFrom("levadura_group").where("id", "=", id).execute();
  });
}
