import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import type { Complaint } from "../../formula/complaint.ts";
import { type AskedFormula, AskedFormulas } from "../asked-formulas.ts";

/** A formula by which an address keeps some rows (`only=frames > 6`), as it is written. */
export interface Only {
  text: string;
  found: AskedFormula | { complaint: Complaint };
}

/** The formula of an address by which a list keeps some rows; undefined where there is none. */
export function onlyIn(scope: Scope, entity: Entity, query: URLSearchParams): Only | undefined {
  const text = query.get("only")?.trim();
  if (!text) return undefined;
  const found = new AskedFormulas(scope).read(entity, text);
  if ("complaint" in found || found.calculation.type === "boolean") return { text, found };
  const at = { start: 0, end: text.length };
  return { text, found: { complaint: { at, message: scope.messages.conditionExpected } } };
}
