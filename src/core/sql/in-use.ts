import { archiveField } from "../model/model.ts";
import type { Column, Index } from "../schema/schema.ts";

/** The condition of the rows that a unique index counts, behind what makes it; nothing where it counts all. */
export function whereInUse(quoted: (name: string) => string, { inUse }: Index): string {
  return inUse ? ` where (${quoted(archiveField)} is null)` : "";
}

/** The same of rows by an alias, in a table that may have no archived ones yet; undefined where all rows count. */
export function inUseBy(
  quoted: (name: string) => string,
  { inUse }: Index,
  columns: readonly Column[],
  alias: string,
): string | undefined {
  const knows = columns.some(({ name }) => name === archiveField);
  return inUse && knows ? `${alias}.${quoted(archiveField)} is null` : undefined;
}
