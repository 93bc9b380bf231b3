import { dialect } from "./sqlite/dialect.ts";

/** The database that this application is over; each kind has a folder here that offers the same. */
export const {
  kind,
  openConnection,
  openTables,
  tablesOf,
  inBackground,
  insertUnlessThere,
  formulas,
  exactly,
  holdsExactly,
  dayOf,
  isAmong,
  monthText,
  contains,
  columnContains,
  wordCandidates,
  beginsWith,
  orderValue,
  orderTerm,
  aboutRows,
  columnsBeside,
  bindValue,
  written,
  constraintViolation,
  troubleOf,
} = dialect;
