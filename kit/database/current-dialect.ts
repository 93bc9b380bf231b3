/** The database that this application is over; each kind has a folder here that offers the same. */
export { kind, openConnection } from "./sqlite/connection.ts";
export {
  bindValue,
  columnContains,
  constraintViolation,
  contains,
  insertUnlessThere,
  openTables,
  orderTerm,
  written,
} from "./sqlite/tables.ts";
export { troubleOf } from "./sqlite/trouble.ts";
