import type { Moment } from "../formula/row-local-rules.ts";
import { type Diagnostic, Diagnostics } from "../model/diagnostics.ts";
import { type Entity, type Field, isMany, isReference, type Model } from "../model/model.ts";
import { keyField } from "../tabular/entity-keys.ts";
import { valueReader } from "../tabular/values.ts";

/** What is wrong with the rows that are in a model, each at its place. `today` is as `2026-05-03`. */
export function checkFixedRows(model: Model, today: string): Diagnostic[] {
  const diagnostics = new Diagnostics();
  const context = { currency: model.app.currency, today };
  for (const entity of model.entities.filter(({ seed }) => seed?.fixed?.length)) {
    const readers = new Map(
      entity.fields.map((field) => [field.name, valueReader(field, {}, context)]),
    );
    const key = keyField(entity);
    const seen = new Set<string>();
    for (const { values } of entity.seed?.fixed ?? []) {
      for (const [name, { text, at }] of values) {
        const field = entity.fields.find((each) => each.name === name);
        if (!field || text === "" || isReference(field) || isMany(field)) continue;
        const read = readers.get(name)?.(text);
        if (read && "reason" in read) {
          diagnostics.error(
            at,
            `\`${text}\` is ${read.reason}`,
            `it is for ${entity.name}.${name}`,
          );
        }
      }
      const told = key && values.get(key.name);
      if (!told || told.text === "") continue;
      if (seen.has(told.text.toLowerCase())) {
        const help = "it distinguishes the rows: each value may appear once";
        diagnostics.error(told.at, `the ${key.name} \`${told.text}\` appears here twice`, help);
      }
      seen.add(told.text.toLowerCase());
    }
  }
  return diagnostics.sorted();
}

/** The rows that are in a model, as a file of data has them: the fields that any row names or that begin with a moment, and a cell for each. */
export function fixedTable(
  entity: Entity,
  moment: Moment,
): { header: string[]; rows: string[][] } | undefined {
  const fixed = entity.seed?.fixed ?? [];
  if (fixed.length === 0) return undefined;
  const named = entity.fields.filter(
    ({ name, default: start }) =>
      (start && "moment" in start) || fixed.some(({ values }) => values.has(name)),
  );
  return {
    header: named.map(({ name }) => name),
    rows: fixed.map(({ values }) =>
      named.map((field) => values.get(field.name)?.text ?? startText(field, moment)),
    ),
  };
}

/** The same as one text, which is another one where any of it is. */
export function fixedText(entity: Entity): string {
  const rows = (entity.seed?.fixed ?? []).map(({ values }) =>
    [...values].map(([name, { text }]) => [name, text]),
  );
  return JSON.stringify(rows);
}

/** What a field gets where a row doesn't name it. */
function startText({ default: start }: Field, { today, now }: Moment): string {
  if (start && "moment" in start) return start.moment === "today" ? today : now;
  if (!start || !("value" in start)) return "";
  return typeof start.value === "boolean" ? (start.value ? "yes" : "no") : String(start.value);
}
