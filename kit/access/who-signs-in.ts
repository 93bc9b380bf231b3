import { type RawBuilder, sql } from "kysely";
import type { Scope } from "./scope.ts";

/**
 * The numbers of the records of those who can sign in, as a subquery: of the organisation that the scope is in, if there
 * are some. Who waits or is suspended can't.
 */
export function whoSignsIn({ access, organisation }: Scope): RawBuilder<unknown> {
  const letIn = sql`account.suspended_at is null and account.waiting_at is null`;
  if (!access?.organisations) {
    return sql`(select account.record_id from levadura_account as account
      where account.record_id is not null and ${letIn})`;
  }
  return sql`(select membership.record_id from levadura_membership as membership
    join levadura_account as account on account.id = membership.account_id
    where membership.record_id is not null and membership.organisation_id = ${organisation ?? 0} and ${letIn})`;
}
