import type { Index, Table } from "../../schema/schema.ts";
import type { Limits } from "../limits.ts";
import { bytes, indexMethod, longestName } from "./columns.ts";

/** What PostgreSQL's own documentation gives. */
export const limits: Limits = {
  name: "PostgreSQL",
  columns: 1600,
  indexes: Number.POSITIVE_INFINITY,
  names: { longest: longestName, unit: "bytes", measure: bytes },
  index: (table: Table, index: Index) =>
    !index.unique || indexMethod(table.columns, index)
      ? undefined
      : `an index holds 2,704 bytes, which ${index.columns.join(" and ")} of ${table.name} could exceed: PostgreSQL would refuse such a row`,
};
