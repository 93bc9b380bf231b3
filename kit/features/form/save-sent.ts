import { fieldsKept } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { readTyped, type Typed } from "../../entity/typed.ts";
import { type NotSaved, saveSubmission } from "../../store/save.ts";
import type { Outcome } from "../../store/submissions.ts";
import type { RowsSent } from "./part-forms.ts";
import { type RefusedRow, RowsRefused, saveRows, unreadableRows } from "./save-parts.ts";

/** Rows of a form that can't be saved, by their prefixes. */
type RefusedRows = ReadonlyMap<string, RefusedRow>;

/** The result of a form: saved, or why not. */
type Saving = { token: string; outcome: Outcome } | NotSaved | { rows: RefusedRows };

/** What somebody sent, and what of it isn't taken: what the form didn't ask for, and files that can't be. */
export interface Sent {
  values: Typed;
  refused: Map<string, string>;
}

/** Saves a form with its rows, or nothing of it. */
export async function saveSent(
  scope: Scope,
  entity: Entity,
  sent: Sent & { kinds: RowsSent["kinds"]; saved?: { row: Row; version: number } },
  once: Omit<Parameters<typeof saveSubmission>[3], "along">,
): Promise<Saving | { errors: Map<string, string>; rows: RefusedRows }> {
  const { values, refused, saved } = sent;
  const kinds = [...sent.kinds.values()];
  const rows = unreadableRows(scope, kinds);
  if (rows.size > 0) {
    // What is wrong in the rest of the form is said at once.
    const kept = await fieldsKept(scope, saved ? "change" : "add", entity, saved?.row.id);
    const inputs = Object.entries(entity.inputs).filter(([name]) => !kept.has(name));
    const read = readTyped({ ...entity, inputs: Object.fromEntries(inputs) }, values, scope);
    return { errors: new Map([...("errors" in read ? read.errors : []), ...refused]), rows };
  }
  if (refused.size > 0) return { errors: refused };
  const along = (within: Scope, row: Row) => saveRows(within, row, kinds);
  try {
    return await saveSubmission(scope, entity, { typed: values, saved }, { ...once, along });
  } catch (error) {
    if (error instanceof RowsRefused) return { rows: error.refused };
    throw error;
  }
}

/** Why a form wasn't saved, in its fields and in its rows. */
export function whyNotSaved(
  result: Exclude<Awaited<ReturnType<typeof saveSent>>, { token: string }>,
): {
  errors: ReadonlyMap<string, string>;
  status?: number | undefined;
  rows?: RefusedRows;
} {
  return {
    errors: "errors" in result ? result.errors : new Map(),
    ...("status" in result && { status: result.status }),
    ...("rows" in result && { rows: result.rows }),
  };
}
