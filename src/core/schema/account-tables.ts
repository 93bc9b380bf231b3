import type { ColumnType } from "../fields/storage.ts";
import type { Column, Index, Table } from "./schema.ts";

/**
 * The tables of the people who sign in: their accounts, the groups that they are in, their sessions, the links that
 * they get by mail, the other ways in which they sign in, the mail itself, what they changed and looked at, and what
 * was tried in vain. The running application reads and writes them (kit/access, kit/mail). Moments are codes, `2026-05-03T07:00:00Z`, which every database compares alike.
 */
export const accountTables = (): readonly Table[] => [
  table("levadura_account", "account", {
    name: needed({ type: { kind: "text", max: 120 } }),
    // In small letters, and none until they said it.
    email: code(254),
    password: code(300),
    language: code(35),
    timezone: code(60),
    // `light` or `dark`; as the machine says, without it.
    appearance: code(10),
    // The number of the record that the person is, of the entity that the model names.
    record_id: { type: { kind: "integer" } },
    suspended_at: code(20),
    // Since when somebody who signed up waits: for their address to be confirmed, or for an administrator.
    waiting_at: code(20),
    // The secret of the second factor, and the last step of time whose code was used.
    totp_secret: code(64),
    totp_step: { type: { kind: "integer" } },
    made_at: needed(code(20)),
  }),
  table("levadura_organisation", "organisation", {
    name: needed({ type: { kind: "text", max: 120 } }),
    // The first plan of the model, without one.
    plan: code(40),
    made_at: needed(code(20)),
  }),
  table("levadura_membership", "membership", {
    account_id: account(),
    // Without organisations, all people are in the first.
    organisation_id: inOrganisation(),
    // `everyone` for those who are in the organisation at all.
    group_name: needed(code(40)),
    // The number of the record that the person is there.
    record_id: { type: { kind: "integer" } },
  }),
  // The groups that administrators made besides those of the model.
  table("levadura_group", "group", {
    organisation_id: inOrganisation(),
    label: needed({ type: { kind: "text", max: 60 } }),
  }),
  table("levadura_right", "right", {
    organisation_id: inOrganisation(),
    group_name: needed(code(40)),
    entity_table: needed(code(100)),
    action: needed(code(20)),
    // Whether the group may do it with all records, or not at all.
    given: needed(code(10)),
  }),
  // Lists that somebody kept under a name, and with which group they are shared.
  table("levadura_view", "view", {
    organisation_id: inOrganisation(),
    account_id: account(),
    entity_table: needed(code(100)),
    name: needed({ type: { kind: "text", max: 60 } }),
    query: needed(code(2000)),
    group_name: code(40),
    // The last month for which it was sent by mail; nothing where it isn't.
    monthly: code(7),
    // Whether the menu of whoever it is for has it.
    in_menu: { type: { kind: "boolean" }, required: true, default: false },
  }),
  table("levadura_session", "session", {
    digest: needed(code(64)),
    account_id: account(),
    organisation_id: { type: { kind: "integer" } },
    begun_at: needed(code(20)),
    seen_at: needed(code(20)),
    address: needed(code(60)),
    browser: needed({ type: { kind: "text", max: 200 } }),
  }),
  table("levadura_welcome", "link", {
    digest: needed(code(64)),
    // Of nobody yet, where somebody is about to sign in.
    account_id: { type: { kind: "integer" }, references: ofAccount },
    until: needed(code(20)),
    // What the link is for, besides choosing a password; and the address that it confirms.
    purpose: code(20),
    email: code(254),
  }),
  table("levadura_recovery", "recovery code", {
    digest: needed(code(64)),
    account_id: account(),
  }),
  table("levadura_passkey", "passkey", {
    credential: needed(code(64)),
    account_id: account(),
    public_key: needed(code(2000)),
    counter: needed({ type: { kind: "integer" } }),
    name: needed({ type: { kind: "text", max: 120 } }),
    made_at: needed(code(20)),
    used_at: code(20),
  }),
  table("levadura_identity", "sign-in by a provider", {
    subject: needed(code(64)),
    account_id: account(),
    made_at: needed(code(20)),
  }),
  // By which programs ask as the person, and what they may do of what the person may.
  table("levadura_token", "token", {
    digest: needed(code(64)),
    account_id: account(),
    organisation_id: { type: { kind: "integer" } },
    name: needed({ type: { kind: "text", max: 60 } }),
    may: { type: { kind: "long text" } },
    made_at: needed(code(20)),
    until: code(20),
    used_at: code(20),
    used_from: code(60),
  }),
  table("levadura_mail", "letter", {
    made_at: needed(code(20)),
    recipient: needed(code(254)),
    subject: needed({ type: { kind: "text", max: 200 } }),
    // Blank once it is sent: there are links in it.
    body: { type: { kind: "long text" } },
    state: needed(code(20)),
    tried: needed({ type: { kind: "integer" } }),
    tried_at: code(20),
    trouble: { type: { kind: "text", max: 300 } },
  }),
  table("levadura_visit", "visit", {
    day: needed(code(10)),
    account_id: account(),
    page: needed(code(120)),
    count: needed({ type: { kind: "integer" } }),
  }),
  table("levadura_change", "log entry", {
    made_at: needed(code(20)),
    // Who it was stays known when the account is gone.
    organisation_id: { type: { kind: "integer" } },
    account_id: { type: { kind: "integer" } },
    account_name: { type: { kind: "text", max: 120 } },
    address: needed(code(60)),
    action: needed(code(40)),
    entity_table: code(100),
    record_id: { type: { kind: "integer" } },
    record_title: { type: { kind: "text", max: 200 } },
    details: needed({ type: { kind: "long text" } }),
  }),
  table("levadura_attempt", "attempt", {
    subject: needed(code(64)),
    count: needed({ type: { kind: "integer" } }),
    since: needed(code(20)),
  }),
];

/** By what rows of these tables are found, besides what no two have alike. */
const found: Readonly<Record<string, readonly (readonly string[])[]>> = {
  levadura_change: [["entity_table", "record_id"], ["account_id"]],
  levadura_mail: [["state"]],
  levadura_view: [["entity_table"]],
};

/** What no two rows of these tables have alike. */
const unique: Readonly<Record<string, readonly string[]>> = {
  levadura_account: ["email"],
  levadura_membership: ["account_id", "organisation_id", "group_name"],
  levadura_right: ["organisation_id", "group_name", "entity_table", "action"],
  levadura_session: ["digest"],
  levadura_welcome: ["digest"],
  levadura_attempt: ["subject"],
  levadura_recovery: ["digest"],
  levadura_passkey: ["credential"],
  levadura_identity: ["subject"],
  levadura_token: ["digest"],
  levadura_visit: ["day", "account_id", "page"],
};

type Part = Omit<Column, "name" | "required"> & { required?: true };

function table(name: string, label: string, parts: Readonly<Record<string, Part>>): Table {
  const columns = Object.entries(parts).map(
    // In the order in which migrations write them down.
    ([column, { type, required = false, default: start, references }]): Column => ({
      name: column,
      type,
      required,
      ...(start !== undefined && { default: start }),
      ...(references && { references }),
    }),
  );
  const id: Column = { name: "id", type: { kind: "integer" }, required: true };
  const alike = unique[name] ?? [];
  const referring = columns
    .filter(({ references, name: column }) => references && alike[0] !== column)
    .map(({ name: column }) => [column]);
  return {
    name,
    label,
    columns: [id, ...columns],
    key: ["id"],
    indexes: [
      ...(alike.length > 0 ? [index(name, alike, true)] : []),
      ...[...referring, ...(found[name] ?? [])].map((each) => index(name, each, false)),
    ],
  };
}

function index(table: string, columns: readonly string[], unique: boolean): Index {
  return {
    name: `${table}_${columns.join("_")}_${unique ? "key" : "index"}`,
    columns: [...columns],
    unique,
  };
}

function code(max: number): { type: ColumnType } {
  return { type: { kind: "code", max } };
}

function needed(part: Part): Part {
  return { ...part, required: true };
}

function inOrganisation(): Part {
  return { type: { kind: "integer" }, required: true, default: 1 };
}

const ofAccount = { table: "levadura_account", onDelete: "along" } as const;

function account(): Part {
  return { type: { kind: "integer" }, required: true, references: ofAccount };
}
