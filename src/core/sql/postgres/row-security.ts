import { quoted } from "../../../../kit/database/postgres/literals.ts";
import { ownerColumn } from "../../schema/from-model.ts";
import type { Column } from "../../schema/schema.ts";
import type { ScriptPart } from "../script.ts";

/** The name of the policy that keeps the rows of organisations apart. */
const policy = "levadura_organisation";

/**
 * Keeps the rows of organisations apart in the server itself: a connection that says for which organisation it is used
 * reads and writes nothing else, whatever a statement forgets. Those that don't say, such as migrations, aren't limited.
 * The application says so with `levadura.organisation` (kit/database/postgres/tables.ts). The owner of the table obeys it, too.
 */
export function rowSecurity(table: string, columns: readonly Pick<Column, "name">[]): ScriptPart[] {
  if (!isOwned(table, columns)) return [];
  const owner = quoted(ownerColumn);
  const own = `${owner} = coalesce(nullif(current_setting('levadura.organisation', true), '')::bigint, ${owner})`;
  return [
    `alter table ${quoted(table)} enable row level security`,
    `alter table ${quoted(table)} force row level security`,
    `create policy ${policy} on ${quoted(table)} using (${own}) with check (${own})`,
  ].map((sql) => ({ kind: "run", sql }));
}

/** Takes that back, before the column is dropped that it looks at. */
export function noRowSecurity(
  table: string,
  columns: readonly Pick<Column, "name">[],
): ScriptPart[] {
  if (!isOwned(table, columns)) return [];
  return [
    `drop policy if exists ${policy} on ${quoted(table)}`,
    `alter table ${quoted(table)} no force row level security`,
    `alter table ${quoted(table)} disable row level security`,
  ].map((sql) => ({ kind: "run", sql }));
}

/** Whether the rows of a table belong to organisations; those of the people who sign in are no records. */
function isOwned(table: string, columns: readonly Pick<Column, "name">[]): boolean {
  return !table.startsWith("levadura_") && columns.some(({ name }) => name === ownerColumn);
}
