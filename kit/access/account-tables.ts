import type { Generated, Kysely } from "kysely";
import type { Appearance } from "./person.ts";
import type { AnyTables } from "./scope.ts";

/** The tables of the people who sign in, which no model has. Moments are texts: `2026-05-03T07:00:00Z`. */
export interface AccountTables {
  levadura_account: {
    id: Generated<number>;
    name: string;
    /** In small letters; null until they said it. */
    email: string | null;
    /** As `hashPassword` gives it; null until they chose one. */
    password: string | null;
    language: string | null;
    timezone: string | null;
    appearance: Appearance | null;
    /** The number of the record that the person is. */
    record_id: number | null;
    suspended_at: string | null;
    /** Since when somebody who signed up waits to be let in. */
    waiting_at: string | null;
    /** The secret of the second factor; null where they have none. */
    totp_secret: string | null;
    /** The last step of time whose code was used. */
    totp_step: number | null;
    made_at: string;
  };
  levadura_organisation: {
    id: Generated<number>;
    name: string;
    /** The name of its plan; null for the first. */
    plan: string | null;
    made_at: string;
  };
  levadura_membership: {
    id: Generated<number>;
    account_id: number;
    organisation_id: Generated<number>;
    /** `everyone` for those who are in the organisation at all. */
    group_name: string;
    /** The number of the record that the person is there. */
    record_id: number | null;
  };
  levadura_group: {
    id: Generated<number>;
    organisation_id: Generated<number>;
    label: string;
  };
  levadura_right: {
    id: Generated<number>;
    organisation_id: Generated<number>;
    group_name: string;
    entity_table: string;
    action: string;
    /** Whether the group may do it with all records, or not at all. */
    given: "all" | "none";
  };
  levadura_view: {
    id: Generated<number>;
    organisation_id: Generated<number>;
    account_id: number;
    entity_table: string;
    name: string;
    /** What follows the `?` in the address of the list. */
    query: string;
    /** Whom else it is for; nobody, without one. */
    group_name: string | null;
    /** The last month for which it was sent by mail, such as `2026-05`; null where it isn't. */
    monthly: string | null;
    /** Whether the menu of whoever it is for has it. */
    in_menu: Generated<boolean>;
  };
  levadura_session: {
    id: Generated<number>;
    digest: string;
    account_id: number;
    /** The organisation in which the person works. */
    organisation_id: number | null;
    begun_at: string;
    seen_at: string;
    address: string;
    browser: string;
  };
  levadura_welcome: {
    id: Generated<number>;
    digest: string;
    account_id: number | null;
    until: string;
    purpose: string | null;
    email: string | null;
  };
  levadura_recovery: { id: Generated<number>; digest: string; account_id: number };
  levadura_passkey: {
    id: Generated<number>;
    credential: string;
    account_id: number;
    public_key: string;
    counter: number;
    name: string;
    made_at: string;
    used_at: string | null;
  };
  levadura_identity: {
    id: Generated<number>;
    subject: string;
    account_id: number;
    made_at: string;
  };
  levadura_token: {
    id: Generated<number>;
    digest: string;
    account_id: number;
    /** The organisation in which it is good. */
    organisation_id: number | null;
    name: string;
    /** What it may do, as JSON; null for all that its person may. */
    may: string | null;
    made_at: string;
    until: string | null;
    used_at: string | null;
    used_from: string | null;
  };
  levadura_mail: {
    id: Generated<number>;
    made_at: string;
    recipient: string;
    subject: string;
    body: string | null;
    state: "waiting" | "sending" | "sent" | "failed" | "kept";
    tried: number;
    tried_at: string | null;
    trouble: string | null;
  };
  levadura_visit: {
    id: Generated<number>;
    day: string;
    account_id: number;
    page: string;
    count: number;
  };
  levadura_change: {
    id: Generated<number>;
    made_at: string;
    organisation_id: number | null;
    account_id: number | null;
    account_name: string | null;
    address: string;
    action: string;
    entity_table: string | null;
    record_id: number | null;
    record_title: string | null;
    details: string;
  };
  levadura_attempt: { id: Generated<number>; subject: string; count: number; since: string };
}

/** The database, with these tables. */
export function accountTables(db: Kysely<AnyTables>): Kysely<AccountTables> {
  return db as unknown as Kysely<AccountTables>;
}
