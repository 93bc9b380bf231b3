import type { Kysely } from "kysely";
import type { Access } from "./access.ts";
import type { AccountTables } from "./account-tables.ts";
import { firstOrganisation } from "./accounts.ts";
import { type Action, actions } from "./action.ts";
import { type ChangedRights, rightKey } from "./changed-rights.ts";

/** The rights that were changed in an organisation; none where the model fixes them. */
export async function changedRights(
  db: Kysely<AccountTables>,
  access: Access | undefined,
  organisation = firstOrganisation,
): Promise<ChangedRights> {
  if (!access?.rightsAre) return new Map();
  const found = await db
    .selectFrom("levadura_right")
    .select(["group_name", "entity_table", "action", "given"])
    .where("organisation_id", "=", organisation)
    .execute();
  return new Map(
    found
      .filter(({ given }) => given === "none" || access.rightsAre === "start")
      .flatMap(({ group_name, entity_table, action, given }) =>
        isAction(action) ? [[rightKey(group_name, entity_table, action), given] as const] : [],
      ),
  );
}

function isAction(text: string): text is Action {
  return (actions as readonly string[]).includes(text);
}

/** Keeps what an administrator changed of the rights of a group on an entity. */
export async function keepRights(
  db: Kysely<AccountTables>,
  changed: { group: string; table: string; given: ReadonlyMap<Action, "all" | "none"> },
  organisation = firstOrganisation,
): Promise<void> {
  const { group, table, given } = changed;
  await db
    .deleteFrom("levadura_right")
    .where("organisation_id", "=", organisation)
    .where("group_name", "=", group)
    .where("entity_table", "=", table)
    .execute();
  if (given.size === 0) return;
  const rows = [...given].map(([action, how]) => ({
    organisation_id: organisation,
    group_name: group,
    entity_table: table,
    action,
    given: how,
  }));
  await db.insertInto("levadura_right").values(rows).execute();
}
