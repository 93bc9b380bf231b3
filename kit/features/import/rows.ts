import { createHash } from "node:crypto";
import { sql } from "kysely";
import { Forbidden, type Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { address } from "../../entity/links.ts";
import { isSameTyped, type Typed, writtenValues } from "../../entity/typed.ts";
import { archiveConditions } from "../../store/archive.ts";
import { type CellText, cellText, readCells } from "../../store/cell-texts.ts";
import { changedDraft, newDraft } from "../../store/drafts.ts";
import { type NotSaved, saveSubmission, tryOut } from "../../store/save.ts";
import { findAnyRow } from "../../store/select.ts";
import { submissionOf } from "../../store/submissions.ts";
import { toldErrors } from "../../ui/seen-errors.ts";
import { labelOfColumn } from "../../ui/value.tsx";
import { type Mapping, numberColumn } from "./mapping.ts";
import type { Sheet } from "./sheet.ts";

/** What a row of a sheet does, or did: with the cells that change in a record, or the reason why nothing is saved. */
export interface RowOutcome {
  /** The row of the sheet, counted from 1 without the titles. */
  number: number;
  kind: "new" | "changed" | "same" | "refused";
  title: string;
  /** The page of the record, where there is one. */
  href?: string;
  changes: { label: string; before: string; after: string }[];
  why?: string;
}

/**
 * Goes through the rows of a sheet, each on its own as its form would be saved. Without a `token` nothing is kept: it
 * says what would become of each. With one, a row is saved once however often it is sent.
 */
export async function importRows(
  scope: Scope,
  entity: Entity,
  sheet: Sheet,
  mapping: Mapping,
  token?: string,
): Promise<RowOutcome[]> {
  const cells = sheet.rows.map((row) => cellsOf(mapping, row));
  const read = await readCells(scope, entity, cells);
  const known = await recordsOf(scope, entity, mapping, cells);
  const outcomes: RowOutcome[] = [];
  for (const [at, own] of cells.entries()) {
    const reading = read[at];
    if (!reading) continue;
    const outcome = (part: Omit<RowOutcome, "number" | "changes"> & Partial<RowOutcome>) =>
      outcomes.push({ number: at + 1, changes: [], ...part });
    const title = [...own.values()].find(({ text }) => text !== "")?.text ?? "";
    const ids = known.get(own.get(mapping.key)?.text.trim() ?? "") ?? [];
    const wrong =
      reading.errors.size > 0
        ? toldErrors(scope, entity, reading.errors).join(" ")
        : ids.length > 1
          ? scope.messages.severalAreCalled(own.get(mapping.key)?.text ?? "")
          : mapping.key === numberColumn && ids.length === 0 && own.get(numberColumn)?.text.trim()
            ? scope.messages.importNoRecord
            : undefined;
    if (wrong) {
      outcome({ kind: "refused", title, why: wrong });
      continue;
    }
    const row = ids[0] === undefined ? undefined : await findAnyRow(scope, entity, ids[0]);
    // In a new record, blank cells become what it starts with.
    const keepsBlanks = row !== undefined && mapping.clears;
    const given = [...reading.typed].filter(
      ([name]) => keepsBlanks || own.get(name)?.text.trim() !== "",
    );
    const changes = row ? differing(scope, entity, row, new Map(given)) : new Map(given);
    const shown = row ? shownChanges(scope, entity, row, changes, own) : [];
    const where = row && { title: row.displayTitle, href: address(row) };
    if (row && changes.size === 0) {
      outcome({ kind: "same", title, ...where });
      continue;
    }
    const result = await saveOne(scope, entity, row, changes, token && rowToken(token, at));
    if ("why" in result) outcome({ kind: "refused", title, ...where, ...result, changes: shown });
    else outcome({ kind: row ? "changed" : "new", title, ...where, ...result, changes: shown });
  }
  return outcomes;
}

/** The cells of a row that go somewhere. */
function cellsOf({ fields }: Mapping, row: readonly string[]): Map<string, CellText> {
  return new Map(
    fields.flatMap((name, at): [string, CellText][] =>
      name === "" ? [] : [[name, { text: row[at] ?? "" }]],
    ),
  );
}

/** The records in sight by what is in their key, of those that rows name. */
async function recordsOf(
  scope: Scope,
  entity: Entity,
  { key }: Mapping,
  cells: readonly ReadonlyMap<string, CellText>[],
): Promise<ReadonlyMap<string, readonly number[]>> {
  const found = new Map<string, number[]>();
  if (key === "") return found;
  const { table, inputs, freesUnique } = entity;
  const texts = cells.map((own) => own.get(key)?.text.trim() ?? "");
  const isNumber = key === numberColumn || inputs[key]?.kind === "integer";
  // Where archived records leave what is unique to others, a key means the record that is in use.
  const inUse = freesUnique && key !== numberColumn ? archiveConditions(entity) : [];
  const wanted = [...new Set(texts)].filter((text) =>
    isNumber ? /^\d{1,15}$/.test(text) : text !== "",
  );
  for (let at = 0; at < wanted.length; at += 500) {
    const some = wanted
      .slice(at, at + 500)
      .map((text) => (isNumber ? Number(text) : text.normalize("NFC")));
    const { rows } = await sql<{ id: number; key: unknown }>`
      select ${sql.ref(`${table}.id`)}, ${sql.ref(`${table}.${key}`)} as ${sql.ref("key")}
      from ${scope.rowsOf(entity)} as ${sql.table(table)}
      where ${sql.ref(`${table}.${key}`)} in (${sql.join(some)})
      ${sql.join(
        inUse.map((each) => sql`and ${each}`),
        sql` `,
      )}`.execute(scope.db);
    for (const { id, key } of rows) {
      found.set(String(key), [...(found.get(String(key)) ?? []), id]);
    }
  }
  return found;
}

/** What of a row's cells is something else than what the record has. */
function differing(
  scope: Scope,
  entity: Entity,
  row: Row,
  typed: Typed,
): Map<string, readonly string[]> {
  const now = writtenValues(entity, row, scope);
  return new Map(
    [...typed].filter(([name, texts]) => {
      const field = entity.inputs[name];
      if (!field || isSameTyped(texts, now.get(name))) return false;
      // The same value, written in another way.
      const [one, other] = [field.read(texts, scope), field.read(now.get(name) ?? [], scope)];
      return (
        !("value" in one && "value" in other) ||
        JSON.stringify(one.value) !== JSON.stringify(other.value)
      );
    }),
  );
}

function shownChanges(
  scope: Scope,
  entity: Entity,
  row: Row,
  changes: Typed,
  cells: ReadonlyMap<string, CellText>,
): RowOutcome["changes"] {
  return [...changes.keys()].flatMap((name) => {
    const field = entity.inputs[name];
    if (!field) return [];
    return {
      label: labelOfColumn(scope, entity, name),
      before: cellText(scope, row, name, field),
      after: cells.get(name)?.text.trim() ?? "",
    };
  });
}

/** Saves a row, or tries whether it could be. */
async function saveOne(
  scope: Scope,
  entity: Entity,
  row: Row | undefined,
  changes: Typed,
  token: string | undefined,
): Promise<{ why: string } | { title?: string; href?: string }> {
  const { messages } = scope;
  try {
    const draft = row
      ? await changedDraft(scope, entity, row, changes)
      : await newDraft(scope, entity, changes);
    const [unasked] = draft.unasked;
    if (unasked !== undefined) {
      return { why: toldErrors(scope, entity, new Map([[unasked, messages.notAsked]])).join(" ") };
    }
    const change = { typed: draft.typed, saved: row && { row, version: row.version } };
    if (token === undefined) {
      const tried = await tryOut(scope, entity, change);
      return "row" in tried ? {} : { why: reason(scope, entity, tried) };
    }
    const result = await saveSubmission(scope, entity, change, {
      submission: submissionOf(token, [entity.table, [...draft.typed]]),
      goTo: (now) => ({ href: address(now), text: now.displayTitle.slice(0, 200) }),
    });
    if (!("outcome" in result)) return { why: reason(scope, entity, result) };
    return { title: result.outcome.text, href: result.outcome.href };
  } catch (error) {
    if (error instanceof Forbidden) return { why: messages.mayNotChange };
    throw error;
  }
}

function reason(scope: Scope, entity: Entity, result: NotSaved): string {
  return "errors" in result
    ? toldErrors(scope, entity, result.errors).join(" ")
    : scope.messages.changedMeanwhile;
}

/** The token of one row among those of an import. */
function rowToken(token: string, at: number): string {
  const digest = createHash("sha256").update(`${token} ${at}`).digest("hex");
  return digest.slice(0, 32).replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, "$1-$2-$3-$4-$5");
}
