import { sql } from "kysely";
import { orderTerm } from "../database/current-dialect.ts";

/** The column with the titles of a query. */
export const displayTitle = sql.ref("displayTitle");

/** The order by that column, and by number where titles are the same. */
export const byTitle = sql`${orderTerm("displayTitle", false, true)}, ${sql.ref("id")}`;
