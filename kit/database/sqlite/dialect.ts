import type { Dialect } from "../contract.ts";
import { kind, openConnection } from "./connection.ts";
import {
  bindValue,
  columnContains,
  constraintViolation,
  contains,
  insertUnlessThere,
  openTables,
  orderTerm,
  written,
} from "./tables.ts";
import { troubleOf } from "./trouble.ts";

export const dialect: Dialect = {
  kind,
  openConnection,
  openTables,
  insertUnlessThere,
  contains,
  columnContains,
  orderTerm,
  bindValue,
  written,
  constraintViolation,
  troubleOf,
};
