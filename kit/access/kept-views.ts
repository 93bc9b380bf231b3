import type { Entity } from "../entity/entity.ts";
import { localAddress } from "../entity/links.ts";
import { accountTables } from "./account-tables.ts";
import { everyone, firstOrganisation } from "./accounts.ts";
import { isAdministrator } from "./person.ts";
import type { Scope } from "./scope.ts";

/** A list under a name: its filters, order and columns, as its address has them. */
export interface KeptView {
  id: number;
  name: string;
  query: string;
  /** With whom it is shared; null for nobody. */
  group_name: string | null;
  /** The last month for which it was sent by mail; null where it isn't. */
  monthly: string | null;
  /** Whether the menu of whoever it is for has it. */
  in_menu: boolean;
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
  if (!keepsViews(scope)) return [];
  return viewsFor(scope)
    .select(["id", "name", "query", "group_name", "monthly", "in_menu", "account_id"])
    .where("entity_table", "=", table)
    .execute();
}

/** The views of all lists that are in the menu of the person. */
export async function menuViews(scope: Scope): Promise<MenuView[]> {
  if (!keepsViews(scope)) return [];
  return viewsFor(scope)
    .select(["entity_table", "name", "query"])
    .where("in_menu", "=", true)
    .limit(mostInMenu)
    .execute();
}

/** A view as the menu has it. */
export type MenuView = Pick<KeptView, "name" | "query"> & { entity_table: string };

const mostInMenu = 30;

/** The views that the person kept, and those that were shared with them, by name. */
function viewsFor({ db, person, organisation }: Scope) {
  const groups = [everyone, ...(person?.groups ?? [])];
  return accountTables(db)
    .selectFrom("levadura_view")
    .where("organisation_id", "=", organisation ?? firstOrganisation)
    .where("name", "<>", unnamed)
    .where((by) => by.or([by("account_id", "=", person?.id ?? 0), by("group_name", "in", groups)]))
    .orderBy("name")
    .orderBy("id");
}

/** The parameters that say how a list looks, and not what is in it. */
const lookParameters: ReadonlySet<string> = new Set(["columns", "sort", "group", "rows"]);

/** The name of what is kept of a list for a person besides views; no view is called so. */
const unnamed = "";

/** In the place of a table: the page that a person begins with after signing in. */
const startOf = "-start";

/** A query of a list, with the columns and the order that the person chose last where it says nothing of them. */
export async function withOwnLook(
  scope: Scope,
  entity: Entity,
  query: URLSearchParams,
): Promise<URLSearchParams> {
  if ([...query.keys()].some((name) => lookParameters.has(name))) return query;
  const kept = await ownQuery(scope, entity.table);
  if (kept === undefined) return query;
  const whole = new URLSearchParams(kept);
  for (const [name, value] of query) whole.append(name, value);
  return whole;
}

/** Keeps how a list looks to the person; undefined forgets it. */
export async function keepOwnLook(
  scope: Scope,
  entity: Entity,
  query: URLSearchParams | undefined,
): Promise<void> {
  const look = [...(query ?? [])].filter(([name]) => lookParameters.has(name));
  await keepOwnQuery(scope, entity.table, new URLSearchParams(look).toString());
}

/** The page that the person begins with after signing in; undefined for the usual one. */
export async function startPage(scope: Scope): Promise<string | undefined> {
  return localAddress(await ownQuery(scope, startOf));
}

/** Makes a view the page that the person begins with; undefined for the usual one. */
export async function keepStartPage(scope: Scope, address: string | undefined): Promise<void> {
  await keepOwnQuery(scope, startOf, address ?? "");
}

async function ownQuery(scope: Scope, table: string): Promise<string | undefined> {
  const { person, organisation, db } = scope;
  if (!person || !keepsViews(scope)) return undefined;
  const kept = await accountTables(db)
    .selectFrom("levadura_view")
    .select("query")
    .where("entity_table", "=", table)
    .where("organisation_id", "=", organisation ?? firstOrganisation)
    .where("account_id", "=", person.id)
    .where("name", "=", unnamed)
    .executeTakeFirst();
  return kept?.query;
}

/** Keeps a query for the person in the place of another one; a blank one is forgotten. */
async function keepOwnQuery(scope: Scope, table: string, query: string): Promise<void> {
  const { person, organisation, db } = scope;
  if (!person || !keepsViews(scope) || query.length > 2000) return;
  const own = {
    organisation_id: organisation ?? firstOrganisation,
    account_id: person.id,
    entity_table: table,
    name: unnamed,
  };
  const tables = accountTables(db);
  await tables
    .deleteFrom("levadura_view")
    .where((by) => by.and(own))
    .execute();
  if (query === "") return;
  await tables
    .insertInto("levadura_view")
    .values({ ...own, query, group_name: null, monthly: null })
    .execute();
}

/** Keeps a view; one of the same name that the person kept is replaced. False where there are too many. */
export async function keepView(
  scope: Scope,
  entity: Entity,
  view: Pick<KeptView, "name" | "query" | "group_name" | "monthly" | "in_menu">,
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
