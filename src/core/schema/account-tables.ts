import type { ColumnType } from "../fields/storage.ts";
import type { Column, Index, Table } from "./schema.ts";

/**
 * The tables of the people who sign in: their accounts, the groups that they are in, their sessions, the links by
 * which they choose a password, what they changed, and what was tried in vain. The running application reads and writes them
 * (kit/access). Moments are codes, `2026-05-03T07:00:00Z`, which every database compares alike.
 */
export const accountTables = (): readonly Table[] => [
  table("levadura_account", "account", {
    name: needed({ type: { kind: "text", max: 120 } }),
    // In small letters, and none until they said it.
    email: code(254),
    password: code(300),
    language: code(35),
    timezone: code(60),
    // The number of the record that the person is, of the entity that the model names.
    record_id: { type: { kind: "integer" } },
    suspended_at: code(20),
    made_at: needed(code(20)),
  }),
  table("levadura_membership", "membership", {
    account_id: account(),
    group_name: needed(code(40)),
  }),
  table("levadura_session", "session", {
    digest: needed(code(64)),
    account_id: account(),
    begun_at: needed(code(20)),
    seen_at: needed(code(20)),
    address: needed(code(60)),
    browser: needed({ type: { kind: "text", max: 200 } }),
  }),
  table("levadura_welcome", "link", {
    digest: needed(code(64)),
    account_id: account(),
    until: needed(code(20)),
  }),
  table("levadura_change", "log entry", {
    made_at: needed(code(20)),
    // Who it was stays known when the account is gone.
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
};

/** What no two rows of these tables have alike. */
const unique: Readonly<Record<string, readonly string[]>> = {
  levadura_account: ["email"],
  levadura_membership: ["account_id", "group_name"],
  levadura_session: ["digest"],
  levadura_welcome: ["digest"],
  levadura_attempt: ["subject"],
};

type Part = Omit<Column, "name" | "required"> & { required?: true };

function table(name: string, label: string, parts: Readonly<Record<string, Part>>): Table {
  const columns = Object.entries(parts).map(
    ([column, { required = false, ...rest }]): Column => ({ name: column, required, ...rest }),
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

function account(): Part {
  return {
    type: { kind: "integer" },
    required: true,
    references: { table: "levadura_account", onDelete: "along" },
  };
}
