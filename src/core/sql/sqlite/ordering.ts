import { quoted } from "../../../../kit/database/sqlite/literals.ts";
import { folded, orderColumn, orderTerm } from "../../../../kit/database/sqlite/text-order.ts";
import { isAscii } from "../../../../kit/formula/ascii.ts";
import type { Column, Index, Table } from "../../schema/schema.ts";

/**
 * SQLite folds the case of ASCII letters only, and knows no order of others. So a text column has a second one
 * beside it, with the text by which it is ordered and distinguished: empty where its own letters do, otherwise
 * made by triggers, of the letters in `levadura_letters` (kit/database/sqlite/letters.ts fills it).
 */

/** Whether a column has one beside it. Choices whose letters SQLite folds by itself need none. */
export function isOrdered({ type, checks = [] }: Column): boolean {
  const folds = checks.some((check) => check.kind === "one of" && check.values.every(isAscii));
  return type.kind === "text" && !folds;
}

/** The columns of an index, as they are compared. */
export function indexed(table: Table, { columns }: Index): string {
  return columns
    .map((name) => {
      const column = table.columns.find((each) => each.name === name);
      return column && isOrdered(column) ? orderTerm(name) : quoted(name);
    })
    .join(", ");
}

const beyond = (text: string) => `${text} glob '*[^ -~]*'`;

/** Fills the columns beside some of a table that was filled without its triggers. */
export function fillOrder(table: string, columns: readonly string[]): string[] {
  return columns.map(
    (name) =>
      `update ${quoted(table)} set ${quoted(orderColumn(name))} = ${folded(quoted(name))} where ${beyond(quoted(name))}`,
  );
}

/** The name of the trigger that does so when rows come, or change. */
export function orderTrigger(table: string, event: "insert" | "update"): string {
  return `${table}__order_${event}`;
}

const triggerNames = (table: string) =>
  (["insert", "update"] as const).map((event) => orderTrigger(table, event));

/** The triggers that keep those columns of a table right, whoever writes to it. */
export function orderTriggers({ name, columns }: Table): string[] {
  const texts = columns.filter(isOrdered).map((column) => column.name);
  if (texts.length === 0) return [];
  const any = (rows: readonly string[]) =>
    texts.flatMap((text) => rows.map((row) => beyond(`${row}.${quoted(text)}`))).join(" or ");
  const told = (text: string) =>
    `${quoted(orderColumn(text))} = (select folded from levadura_texts where text = new.${quoted(text)})`;
  const [inserted = "", updated = ""] = triggerNames(name).map(quoted);
  const body = `begin
  insert into levadura_texts (text) values ${texts.map((text) => `(new.${quoted(text)})`).join(", ")};
  update ${quoted(name)} set ${texts.map(told).join(", ")} where ${quoted("id")} = new.${quoted("id")};
  delete from levadura_texts;
end`;
  return [
    `create trigger ${inserted} after insert on ${quoted(name)}\nwhen ${any(["new"])} ${body}`,
    `create trigger ${updated} after update of ${texts.map(quoted).join(", ")} on ${quoted(name)}\nwhen ${any(["old", "new"])} ${body}`,
  ];
}

/** Removes those triggers, before what they speak of changes. */
export function dropOrderTriggers({ name, columns }: Table): string[] {
  if (!columns.some(isOrdered)) return [];
  return triggerNames(name).map((trigger) => `drop trigger if exists ${quoted(trigger)}`);
}
