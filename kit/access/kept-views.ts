import type { Entity } from "../entity/entity.ts";
import { accountTables } from "./account-tables.ts";
import { everyone, firstOrganisation } from "./accounts.ts";
import { isAdministrator } from "./rights.ts";
import type { Scope } from "./scope.ts";

/** A list under a name: its filters, order and columns, as its address has them. */
export interface KeptView {
  id: number;
  name: string;
  query: string;
  /** With whom it is shared; null for nobody. */
  group_name: string | null;
  /** Whose it is. */
  account_id: number;
}

/** Whether somebody can keep views: where there are accounts, of whoever is signed in. */
export function keepsViews({ access, person }: Scope): boolean {
  return access !== undefined && person !== undefined;
}

/** The most views of a list that one person keeps. */
const mostViews = 50;

/** The views of a list that the person kept, and those that were shared with them, by name. */
export async function viewsOf(scope: Scope, { table }: Entity): Promise<KeptView[]> {
  const { person, organisation, db } = scope;
  if (!person || !keepsViews(scope)) return [];
  const groups = [everyone, ...(person.groups ?? [])];
  return accountTables(db)
    .selectFrom("levadura_view")
    .select(["id", "name", "query", "group_name", "account_id"])
    .where("entity_table", "=", table)
    .where("organisation_id", "=", organisation ?? firstOrganisation)
    .where((by) => by.or([by("account_id", "=", person.id), by("group_name", "in", groups)]))
    .orderBy("name")
    .orderBy("id")
    .execute();
}

/** Keeps a view; one of the same name that the person kept is replaced. False where there are too many. */
export async function keepView(
  scope: Scope,
  entity: Entity,
  view: Pick<KeptView, "name" | "query" | "group_name">,
): Promise<boolean> {
  const { person, organisation, db } = scope;
  if (!person || !keepsViews(scope)) return false;
  const own = (await viewsOf(scope, entity)).filter(({ account_id }) => account_id === person.id);
  const same = own.find(({ name }) => name === view.name);
  if (!same && own.length >= mostViews) return false;
  const tables = accountTables(db);
  if (same) await tables.deleteFrom("levadura_view").where("id", "=", same.id).execute();
  await tables
    .insertInto("levadura_view")
    .values({
      ...view,
      organisation_id: organisation ?? firstOrganisation,
      account_id: person.id,
      entity_table: entity.table,
    })
    .execute();
  return true;
}

/** Deletes a view that the person kept; administrators delete those of others, too. */
export async function dropView(scope: Scope, entity: Entity, id: number): Promise<boolean> {
  const { person, db } = scope;
  const view = (await viewsOf(scope, entity)).find((each) => each.id === id);
  if (!view || !(view.account_id === person?.id || isAdministrator(person))) return false;
  await accountTables(db).deleteFrom("levadura_view").where("id", "=", id).execute();
  return true;
}
