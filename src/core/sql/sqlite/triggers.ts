import type { Table } from "../../schema/schema.ts";
import { dropOrderTriggers, orderTriggers } from "./ordering.ts";
import { dropWordsTriggers, wordsTriggers } from "./words.ts";

/** All triggers that a table has: those that order its texts, and those that keep its index of words right. */
export function triggersOf(table: Table): string[] {
  const words = table.indexes.filter((index) => index.words);
  return [...orderTriggers(table), ...words.flatMap((index) => wordsTriggers(table, index))];
}

/** Removes them, before what they speak of changes. */
export function dropTriggers(table: Table): string[] {
  const words = table.indexes.filter((index) => index.words);
  return [...dropOrderTriggers(table), ...words.flatMap(dropWordsTriggers)];
}
