import {
  type Definition,
  type OptionName,
  parseDefinition,
  printDefinition,
} from "../model/notation.ts";
import type { ImportPlan, PlanNotes, SheetNotes, SheetPlan } from "./plan.ts";

/** An option of a field that would set rows aside, and the first of them. */
export interface CostlyOption {
  entity: string;
  field: string;
  /** `key` for fields that are unique together; `field` has their names with spaces between them. */
  option: "required" | "unique" | "key";
  row: number;
  rows: number;
}

/**
 * A proposed plan without guesses that cost rows: fields aren't required or unique where rows would be set aside for it.
 * What others refer to stays unique. Undefined where nothing is changed.
 */
export function withoutCostly(
  plan: ImportPlan,
  notes: PlanNotes,
  costly: readonly CostlyOption[],
): { plan: ImportPlan; notes: PlanNotes } | undefined {
  let changed = false;
  const targets = new Set(
    plan.sheets.flatMap(({ fields }) =>
      fields.flatMap(({ is = "" }) => definitionOf(is).entity?.text ?? []),
    ),
  );
  const sheets = plan.sheets.map((whole, at) => {
    const sheet = withoutCostlyKey(whole, costly, notes.sheets[at]);
    if (sheet !== whole) changed = true;
    return {
      ...sheet,
      fields: sheet.fields.map((field) => {
        const found = costly.filter(
          (each): each is FieldOption =>
            each.option !== "key" &&
            each.entity === sheet.entity &&
            each.field === field.name &&
            !(each.option === "unique" && targets.has(sheet.entity)) &&
            definitionOf(field.is ?? "").options.has(each.option),
        );
        if (found.length === 0) return field;
        changed = true;
        noteCost(notes.sheets[at]?.fields.get(field.name), found);
        const is = found.reduce((text, { option }) => withoutOption(text, option), field.is ?? "");
        return { ...field, is };
      }),
    };
  });
  return changed ? { plan: { ...plan, sheets }, notes } : undefined;
}

type FieldOption = CostlyOption & { option: "required" | "unique" };

/** A sheet whose rows are told apart by a few fields only where no row is set aside for it. */
function withoutCostlyKey(
  sheet: SheetPlan,
  costly: readonly CostlyOption[],
  notes: SheetNotes | undefined,
): SheetPlan {
  const isCostly = costly.some(({ entity, option }) => entity === sheet.entity && option === "key");
  if (!sheet.key || !isCostly) return sheet;
  if (notes) delete notes.key;
  const { key: _, ...rest } = sheet;
  return rest;
}

function definitionOf(is: string): Definition {
  return parseDefinition(is, (span) => span).definition;
}

function withoutOption(is: string, option: OptionName): string {
  const definition = definitionOf(is);
  definition.options.delete(option);
  return printDefinition(definition);
}

function noteCost(notes: { guess?: string } | undefined, found: readonly FieldOption[]): void {
  if (!notes) return;
  const said = found.map(({ option, row, rows }) => {
    const many = rows > 1 ? ` and ${rows - 1} more` : "";
    return option === "required"
      ? `not required, because row ${row}${many} would have no value that fits`
      : `not unique, because row ${row}${many} has a value that is there already`;
  });
  notes.guess = [notes.guess, ...said].filter(Boolean).join("; ");
}
