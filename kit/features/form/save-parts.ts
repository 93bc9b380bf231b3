import { Forbidden, type Scope } from "../../access/scope.ts";
import { type Entity, isReference, type Row } from "../../entity/entity.ts";
import { labelIn } from "../../entity/label.ts";
import type { PartRows } from "../../entity/part-rows.ts";
import { isSameTyped, readTyped, type Typed } from "../../entity/typed.ts";
import { cellText } from "../../store/cell-texts.ts";
import { changedDraft, type Draft, newDraft } from "../../store/drafts.ts";
import { removeAlone } from "../../store/remove.ts";
import { type NotSaved, save } from "../../store/save.ts";
import { findAnyRow } from "../../store/select.ts";
import { shownValues } from "../../store/shown-values.ts";
import { seenErrors } from "../../ui/seen-errors.ts";
import { joinChanges } from "./joining.ts";

/** A row of a form as it was sent. */
export interface SentRow {
  /** What the names of its inputs begin with. */
  prefix: string;
  /** The record that it is; undefined for a new one. */
  id: number | undefined;
  /** The version of the record that the form was made of, and what its inputs began with. */
  version: number;
  was: Typed;
  typed: Typed;
  isRemoved: boolean;
  /** Titles that were typed into lookups, and what is wrong with those that belong to no record. */
  named: ReadonlyMap<string, string>;
  wrong: ReadonlyMap<string, string>;
}

/** The rows of one kind that a form carries. */
export interface SentRows {
  part: PartRows;
  rows: readonly SentRow[];
}

/** Why a row wasn't saved. */
export interface RefusedRow {
  /** By field; blank for all of the row. */
  errors: ReadonlyMap<string, string>;
  /** The record as somebody else saved it meanwhile. */
  now?: Row;
  /** Somebody else deleted it. */
  isGone?: true;
}

/** Ends a save in which some rows can't be saved: then nothing is. By the prefixes of the rows. */
export class RowsRefused extends Error {
  constructor(readonly refused: ReadonlyMap<string, RefusedRow>) {
    super([...refused.values()].flatMap(({ errors }) => [...errors.values()]).join(" "));
  }
}

/** What is wrong with rows whatever else is saved: what can't be read. By their prefixes. */
export function unreadableRows(
  scope: Scope,
  kinds: readonly SentRows[],
): ReadonlyMap<string, RefusedRow> {
  const refused = new Map<string, RefusedRow>();
  for (const { part, rows } of kinds) {
    const asked = askedOf(part);
    for (const row of rows) {
      // A title that belongs to no record leaves its lookup blank, as it may have been.
      const isUntouched = changedIn(part, row).length === 0 && row.wrong.size === 0;
      if (row.isRemoved || isUntouched) continue;
      const withheld = scope.withheld(row.id === undefined ? "add" : "change", part.entity);
      const inputs = Object.entries(asked.inputs).filter(
        ([name, field]) =>
          !withheld.has(name) &&
          // References out of sight come back blank and stay.
          !(isReference(field) && row.id !== undefined) &&
          !(row.id === undefined && part.entity.conditionalFields.blank?.[name]),
      );
      const read = readTyped({ ...asked, inputs: Object.fromEntries(inputs) }, row.typed, scope);
      const errors = new Map([...("errors" in read ? read.errors : []), ...row.wrong]);
      if (errors.size > 0) refused.set(row.prefix, { errors });
    }
  }
  return refused;
}

/**
 * Saves the rows of a form, within the transaction in which their parent was saved: first those that are removed, then the
 * changed ones, then the new ones. Rows in which nothing was typed are left alone. Throws `RowsRefused` with all that is
 * wrong, so that nothing is kept.
 */
export async function saveRows(
  within: Scope,
  parent: Row,
  kinds: readonly SentRows[],
): Promise<void> {
  const refused = new Map<string, RefusedRow>();
  const all = kinds.flatMap(({ part, rows }) => rows.map((row) => ({ part, row })));
  const rank = ({ row }: (typeof all)[number]) =>
    row.isRemoved ? 0 : row.id !== undefined ? 1 : 2;
  for (const { part, row } of all.sort((one, other) => rank(one) - rank(other))) {
    const why = await saveRow(within, parent, part, row).catch((error): RefusedRow => {
      if (!(error instanceof Forbidden)) throw error;
      return whole(within.messages.mayNotChange);
    });
    if (why) refused.set(row.prefix, { ...why, errors: inRow(within, part, why.errors) });
  }
  if (refused.size > 0) throw new RowsRefused(refused);
}

/** Undefined where the row is as it should be. */
async function saveRow(
  scope: Scope,
  parent: Row,
  part: PartRows,
  row: SentRow,
): Promise<RefusedRow | undefined> {
  const { entity, field } = part;
  const { rows: words } = scope.messages;
  const changed = changedIn(part, row);
  if (row.id === undefined) {
    if (row.isRemoved || changed.length === 0) return undefined;
    const typed = part.columns.map((name) => [name, row.typed.get(name) ?? []] as const);
    const given = new Map([...typed, [field, [String(parent.id)]]]);
    const draft = await newDraft(scope, entity, given);
    return notAsked(scope, draft) ?? why(await save(scope, entity, { typed: draft.typed }));
  }
  const now = await findAnyRow(scope, entity, row.id);
  const isThere = now?.[field] === parent.id;
  if (row.isRemoved) {
    if (!now || !isThere) return undefined;
    if (now.version !== row.version) return { ...whole(words.changedBefore), now };
    const kept = await removeAlone(scope, entity, now);
    return kept && whole(kept === "changed" ? words.changedBefore : words.notRemoved);
  }
  if (changed.length === 0) return undefined;
  if (!now || !isThere) return { ...whole(words.gone), isGone: true };
  const conflicts = conflictsIn(scope, part, row, now);
  if (conflicts.length > 0) {
    const said = conflicts.map((name) => {
      const theirs = entity.fields[name] && cellText(scope, now, name, entity.fields[name]);
      return [name, words.changedTo(theirs || scope.messages.none)] as const;
    });
    return { errors: new Map(said), now };
  }
  const draft = await changedDraft(scope, entity, now, changesIn(part, row));
  return (
    notAsked(scope, draft) ??
    why(
      await save(scope, entity, { typed: draft.typed, saved: { row: now, version: now.version } }),
    )
  );

  /** Why it wasn't saved, if it wasn't. */
  function why(result: { row: Row } | NotSaved): RefusedRow | undefined {
    if ("row" in result) return undefined;
    return "errors" in result ? { errors: result.errors } : whole(words.changedBefore);
  }
}

/** What is changed in a row, by field. */
function changesIn(part: PartRows, row: SentRow): Typed {
  return new Map(changedIn(part, row).map((name) => [name, row.typed.get(name) ?? []]));
}

/** The fields of a row that somebody else changed to something else meanwhile. */
function conflictsIn(scope: Scope, part: PartRows, row: SentRow, now: Row): readonly string[] {
  if (now.version === row.version) return [];
  const typed = changesIn(part, row);
  const inputs = Object.entries(part.entity.inputs).filter(([name]) => typed.has(name));
  const asked = { ...part.entity, inputs: Object.fromEntries(inputs) };
  const states = { was: row.was, typed, saved: shownValues(scope, part.entity, now) };
  return joinChanges(scope, asked, states, new Set()).conflicts;
}

/** The fields of a row in which something else stands than it began with. */
export function changedIn({ columns }: PartRows, { typed, was }: SentRow): string[] {
  return columns.filter((name) => !isSameTyped(typed.get(name), was.get(name)));
}

/** The entity of parts with those inputs only that stand in rows. */
export function askedOf({ entity, columns }: PartRows): Entity {
  const inputs = columns.flatMap((name) => {
    const field = entity.inputs[name];
    return field ? [[name, field] as const] : [];
  });
  return { ...entity, inputs: Object.fromEntries(inputs) };
}

function whole(message: string): RefusedRow {
  return { errors: new Map([["", message]]) };
}

function notAsked({ messages }: Scope, { unasked }: Draft): RefusedRow | undefined {
  if (unasked.length === 0) return undefined;
  return { errors: new Map(unasked.map((name) => [name, messages.notAsked])) };
}

/** Errors as a row can show them: those of fields that don't stand in it are said of all of the row. */
function inRow(
  scope: Scope,
  { entity, columns }: PartRows,
  found: ReadonlyMap<string, string>,
): ReadonlyMap<string, string> {
  const seen = seenErrors(scope, entity, found);
  const own = [...seen].filter(([name]) => columns.includes(name));
  const others = [...seen].filter(([name]) => !columns.includes(name));
  const said = others.map(([name, message]) => {
    const label = entity.fields[name]?.label;
    return label === undefined ? message : `${labelIn(label, scope.language)}: ${message}`;
  });
  return new Map([...own, ...(said.length > 0 ? [["", said.join(" ")] as const] : [])]);
}
