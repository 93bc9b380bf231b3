import type { Context } from "hono";
import { HTTPException } from "hono/http-exception";
import * as z from "zod";
import { Forbidden, type Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { address, recordId } from "../../entity/links.ts";
import { type CellText, type ReadCells, readCells } from "../../store/cell-texts.ts";
import { changedDraft, newDraft } from "../../store/drafts.ts";
import { saveSubmission } from "../../store/save.ts";
import { findAnyRow } from "../../store/select.ts";
import { submissionOf } from "../../store/submissions.ts";
import { seenErrors } from "../../ui/seen-errors.ts";
import { type GridColumn, GridRow } from "./rows.tsx";

/** The most rows that one request saves. */
const mostRows = 50;

const sentRow = z.object({
  /** Tells a row that is sent again from any other. */
  token: z.string().max(100),
  /** The record and the version of it that was changed; none for a new record. */
  record: z.object({ id: z.int().positive(), version: z.int() }).optional(),
  cells: z.record(
    z.string().max(100),
    z.object({ text: z.string(), ids: z.array(z.int().positive()).max(10_000).optional() }),
  ),
});
const sentRows = z.object({ rows: z.array(sentRow).max(mostRows) });
type SentRow = z.infer<typeof sentRow>;

/** What became of a row: how it stands by now, or what is wrong with which of its cells; blank for all of the row. */
type Answer =
  | { saved: string }
  | { errors: Record<string, string> }
  | { changed: string }
  | { gone: true };

/** Saves rows of a grid, each on its own as its form would; answers what became of each. */
export async function rowsSent(
  c: Context,
  scope: Scope,
  entity: Entity,
  columns: readonly GridColumn[],
) {
  const { rows } = await sentBody(c);
  const typed = new Set(columns.flatMap(({ name }) => name ?? []));
  const cells = rows.map(
    (row) => new Map(Object.entries(row.cells).filter(([name]) => typed.has(name))),
  );
  const read = await readCells(scope, entity, cells as ReadonlyMap<string, CellText>[]);
  const answers: Answer[] = [];
  for (const [at, row] of rows.entries()) {
    const reading = read[at];
    if (!reading) continue;
    answers.push(
      await saveRow(scope, entity, columns, row, reading).catch((error): Answer => {
        if (error instanceof Forbidden) return { errors: { "": scope.messages.mayNotChange } };
        throw error;
      }),
    );
  }
  return c.json({ rows: answers });
}

async function sentBody(c: Context): Promise<z.infer<typeof sentRows>> {
  try {
    return sentRows.parse(JSON.parse(await c.req.text()));
  } catch (error) {
    throw new HTTPException(400, { cause: error });
  }
}

async function saveRow(
  scope: Scope,
  entity: Entity,
  columns: readonly GridColumn[],
  sent: SentRow,
  { typed: changes, errors }: ReadCells,
): Promise<Answer> {
  const html = (row: Row) => String(<GridRow scope={scope} columns={columns} row={row} />);
  const row = sent.record && (await findAnyRow(scope, entity, sent.record.id));
  if (sent.record && !row) return { gone: true };
  if (errors.size > 0) return { errors: Object.fromEntries(errors) };
  const draft = row
    ? await changedDraft(scope, entity, row, changes)
    : await newDraft(scope, entity, changes);
  if (draft.unasked.length > 0) {
    return {
      errors: Object.fromEntries(draft.unasked.map((name) => [name, scope.messages.notAsked])),
    };
  }
  const saved = row && sent.record && { row, version: sent.record.version };
  const result = await saveSubmission(
    scope,
    entity,
    { typed: draft.typed, saved },
    {
      submission: submissionOf(sent.token, [entity.table, sent]),
      goTo: (now) => ({
        href: address(now),
        text: scope.messages.saved(now.displayTitle.slice(0, 200)),
      }),
    },
  );
  if ("errors" in result)
    return { errors: Object.fromEntries(seenErrors(scope, entity, result.errors)) };
  const id = "outcome" in result ? recordId(result.outcome.href.split("/").at(-1) ?? "") : row?.id;
  const now = id === undefined ? undefined : await findAnyRow(scope, entity, id);
  if (!now) return { gone: true };
  return "stale" in result ? { changed: html(now) } : { saved: html(now) };
}
