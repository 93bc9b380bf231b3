import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference, isReferences } from "../../entity/entity.ts";
import type { SentForm } from "../../http/sent-form.ts";
import { readCells } from "../../store/cell-texts.ts";
import { titlesOf } from "../../store/list/facets.ts";
import { namedInput } from "../../ui/lookup-input.tsx";

/**
 * Lookups into which a title was typed: the number of the record that is called so takes its place in the form. Scripts put the
 * number in themselves; a title that still belongs to the number that is there is left alone. Returns what is wrong, by field.
 */
export async function takeNamed(
  scope: Scope,
  entity: Entity,
  data: SentForm,
): Promise<Map<string, string>> {
  const wrong = new Map<string, string>();
  for (const [name, field] of Object.entries(entity.inputs)) {
    const named = data.get(namedInput(name));
    if (typeof named !== "string" || !(isReference(field) || isReferences(field))) continue;
    const text = named.trim().slice(0, 4000);
    const ids = data
      .getAll(name)
      .map(String)
      .filter((id) => /^\d{1,15}$/.test(id));
    if (text === "") {
      // Of several records, the box only adds.
      if (isReference(field)) data.set(name, "");
      continue;
    }
    const target = scope.entities.named(field.to);
    if (isReference(field) && ids.length === 1) {
      const titles = await titlesOf(scope, target, ids.map(Number));
      if (titles.get(Number(ids[0])) === text) continue;
    }
    const [read] = await readCells(scope, entity, [new Map([[name, { text }]])]);
    const error = read?.errors.get(name);
    if (error !== undefined) wrong.set(name, error);
    const found = read?.typed.get(name) ?? [];
    const all = isReference(field) ? found : [...ids, ...found];
    data.delete(name);
    for (const id of new Set(all)) data.append(name, id);
  }
  return wrong;
}
