/** The database that this application is over; each kind has a folder here that offers the same. */
export { kind, openConnection } from "./sqlite/connection.ts";
export {
  columnContains,
  contains,
  given,
  inOrder,
  openTables,
  refusal,
  written,
} from "./sqlite/tables.ts";
