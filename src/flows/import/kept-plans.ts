import { existsSync, readdirSync } from "node:fs";
import { join } from "node:path";
import type { ImportPlan, PlanNotes } from "../../core/tabular/plan.ts";
import { readPlan } from "../../core/tabular/plan-document.ts";
import { readText } from "../../io/project/files.ts";
import type { Project } from "../../io/project/project.ts";

type Replacements = Readonly<Record<string, string>>;

/** The plans of earlier imports, the newest last. */
export function keptPlans({ imports }: Project): ImportPlan[] {
  const names = existsSync(imports) ? readdirSync(imports) : [];
  // The second plan of a name is `dues-2.yaml`.
  const order = new Intl.Collator("en", { numeric: true });
  return names
    .filter((name) => name.endsWith(".yaml"))
    .sort(order.compare)
    .flatMap((name) => readPlan(readText(join(imports, name)) ?? "").plan ?? []);
}

/** A proposal in which cells are replaced as in earlier imports of the same fields, and what is said of it. */
export function withReplacements(
  { plan, notes }: { plan: ImportPlan; notes: PlanNotes },
  plans: readonly ImportPlan[],
): { plan: ImportPlan; notes: PlanNotes } {
  const kept = replacementsOf(plans);
  if (kept.size === 0) return { plan, notes };
  const sheets = plan.sheets.map((sheet, at) => ({
    ...sheet,
    fields: sheet.fields.map((field) => {
      const replace = kept.get(keyOf(sheet.entity, field.name));
      if (!replace) return field;
      const said = notes.sheets[at]?.fields.get(field.name);
      const count = Object.keys(replace).length;
      if (said) {
        said.why += `; ${count} ${count === 1 ? "text is" : "texts are"} replaced as in an earlier import`;
      }
      return { ...field, replace: { ...replace, ...field.replace } };
    }),
  }));
  return { plan: { ...plan, sheets }, notes };
}

/** What plans replace, by entity and field; of two plans, the newer one counts. */
function replacementsOf(plans: readonly ImportPlan[]): Map<string, Replacements> {
  const kept = new Map<string, Replacements>();
  for (const { entity, fields } of plans.flatMap(({ sheets }) => sheets)) {
    for (const { name: field, replace } of fields) {
      const key = keyOf(entity, field);
      if (replace) kept.set(key, { ...kept.get(key), ...replace });
    }
  }
  return kept;
}

function keyOf(entity: string, field: string): string {
  return `${entity} ${field}`;
}
