import type { Kysely } from "kysely";
import { now } from "../formula/clock.ts";
import { type AccountTables, accountTables } from "./account-tables.ts";
import { addAccount, firstOrganisation, hasAdministrator } from "./accounts.ts";
import { welcomeAddress } from "./addresses.ts";
import { newLink } from "./links.ts";
import { administrators } from "./person.ts";
import type { AnyTables } from "./scope.ts";

/** For how many hours the link of the first administrator holds. */
const hours = 24;

/**
 * The path of a link by which the first administrator chooses an address and a password: whoever FIRST_ADMINISTRATOR
 * names. Undefined where it names nobody, or where somebody manages the people already.
 */
export async function firstAdministrator<Tables>(
  db: Kysely<Tables>,
  /** What the first organisation is called until somebody calls it something else, where there are several. */
  organisation?: string,
): Promise<string | undefined> {
  const tables = accountTables(db as unknown as Kysely<AnyTables>);
  if (organisation !== undefined) await beginFirst(tables, organisation);
  if (await hasAdministrator(tables)) return undefined;
  const name = process.env.FIRST_ADMINISTRATOR?.trim().slice(0, 120);
  if (!name) {
    console.log(
      "Nobody manages the people yet: FIRST_ADMINISTRATOR=NAME makes a link for the first who does.",
    );
    return undefined;
  }
  const known = await tables
    .selectFrom("levadura_account")
    .innerJoin("levadura_membership", "levadura_membership.account_id", "levadura_account.id")
    .select("levadura_account.id")
    .where("group_name", "=", administrators)
    .where("password", "is", null)
    .where("email", "is", null)
    .where("name", "=", name)
    .executeTakeFirst();
  const id =
    known?.id ??
    (await addAccount(tables, {
      name,
      email: null,
      groups: [administrators],
      ...(organisation !== undefined && { organisation: firstOrganisation }),
    }));
  if (id === undefined) return undefined;
  const secret = await newLink(tables, { purpose: "password", account: id, hours });
  return welcomeAddress("", secret);
}

/** Makes the first organisation, to which everything belongs that is there before others begin. */
async function beginFirst(db: Kysely<AccountTables>, name: string): Promise<void> {
  const there = await db.selectFrom("levadura_organisation").select("id").limit(1).execute();
  if (there.length > 0) return;
  await db.insertInto("levadura_organisation").values({ name, made_at: now() }).execute();
}
