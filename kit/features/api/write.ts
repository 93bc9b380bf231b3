import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import type { Typed } from "../../entity/typed.ts";
import type { Field } from "../../fields/field.ts";
import { Problem } from "../../http/problem.ts";
import { changedDraft, type Draft, newDraft } from "../../store/drafts.ts";
import { partsOf, referencedBy } from "../../store/referenced-by.ts";
import { removeSubmission } from "../../store/remove.ts";
import { type NotSaved, save, saveSubmission } from "../../store/save.ts";
import { findAnyRow } from "../../store/select.ts";
import { unseenReferences } from "../../store/sent-values.ts";
import { newToken, type Outcome, type Submission, sentBefore } from "../../store/submissions.ts";
import { takenShape, typedOf } from "./json-values.ts";
import { askedFields, isNeeded } from "./shapes.ts";

/** A record that was written: its number, and the version that it has since. */
export interface Written {
  id: number;
  version: number;
}

/** The version of a record that a change was made of. */
export type Version = number | "any";

/** Adds a record, once however often it is sent under a key. Throws a problem where it isn't added. */
export async function addRecord(
  scope: Scope,
  entity: Entity,
  body: unknown,
  once?: Submission,
): Promise<Written> {
  scope.require("add", entity);
  const before = once && (await writtenBefore(scope, once));
  if (before) return before;
  const given = readBody(scope, entity, body, "add");
  const draft = await newDraft(scope, entity, given);
  refuseUnasked(scope, draft);
  return write(scope, entity, { typed: draft.typed }, once);
}

/** Changes those fields of a record that a merge patch names. Throws a problem where it isn't changed. */
export async function changeRecord(
  scope: Scope,
  entity: Entity,
  { id, version }: { id: number; version: Version },
  body: unknown,
  once?: Submission,
): Promise<Written> {
  scope.require("change", entity);
  const before = once && (await writtenBefore(scope, once));
  if (before) return before;
  const changes = readBody(scope, entity, body, "change");
  return ofThatVersion(version, async () => {
    const row = await rowWith(scope, entity, id, version);
    if (changes.size === 0) return row;
    const lost = unseenReferences(entity, row).filter((name) => changes.get(name)?.length === 0);
    // Blank stands for what is out of sight in forms, so that it can't say that something is taken out.
    refuseFields(scope, new Map(lost.map((name) => [name, scope.messages.mayNotChange])));
    const draft = await changedDraft(scope, entity, row, changes);
    refuseUnasked(scope, draft);
    const saved = { row, version: row.version };
    return write(scope, entity, { typed: draft.typed, saved }, once);
  });
}

/** Deletes a record; its parts with it, where that is asked. Throws a problem where it isn't deleted. */
export async function deleteRecord(
  scope: Scope,
  entity: Entity,
  { id, version, withParts }: { id: number; version: Version; withParts: boolean },
  once?: Submission,
): Promise<void> {
  scope.require("delete", entity);
  if (once && (await sentBefore(scope.db, once))) return;
  await ofThatVersion(version, async () => {
    const row = await rowWith(scope, entity, id, version);
    await deleteRow(scope, entity, row, { withParts, once });
  });
}

async function deleteRow(
  scope: Scope,
  entity: Entity,
  row: Row,
  { withParts, once }: { withParts: boolean; once: Submission | undefined },
): Promise<void> {
  const { messages, format } = scope;
  const references = await referencedBy(scope, entity, row.id);
  const told = (cascades: boolean) =>
    references
      .filter((each) => each.cascades === cascades)
      .map(({ count, one, many }) => format.count(count, one, many))
      .join(", ");
  const [using, parts] = [told(false), told(true)];
  if (using) throw new Problem("conflict", messages.api.inUse(using));
  if (parts && !withParts) throw new Problem("conflict", messages.api.hasParts(parts));
  const removed = await removeSubmission(
    scope,
    entity,
    { row, version: row.version, parts: partsOf(references) },
    { submission: once ?? alone(), outcome: outcomeOf(row) },
  );
  if (!("refused" in removed)) return;
  const { refused } = removed;
  if (refused === "changed") throw new Problem("changed", messages.api.changedSince);
  if (refused === "in use" || refused === "parts in use") {
    throw new Problem("conflict", messages.api.inUseSomewhere);
  }
  throw new Problem("away", messages.troubles[refused]);
}

/** How often a change of any version is made again where somebody else was faster. */
const mostTimes = 5;

/** Does some work with a record of a version; of any, again where the record was saved meanwhile. */
async function ofThatVersion<Result>(version: Version, work: () => Promise<Result>) {
  for (let time = 1; ; time++) {
    try {
      return await work();
    } catch (error) {
      const isOutdone = error instanceof Problem && error.kind === "changed";
      if (version !== "any" || !isOutdone || time === mostTimes) throw error;
    }
  }
}

/** A record in sight, of the version that was asked for. */
export async function rowWith(
  scope: Scope,
  entity: Entity,
  id: number,
  version: Version,
): Promise<Row> {
  const row = await findAnyRow(scope, entity, id);
  if (!row) throw new Problem("not-found", scope.messages.nothingHere);
  if (version !== "any" && version !== row.version) {
    throw new Problem("changed", scope.messages.api.isVersion(row.version));
  }
  return row;
}

async function write(
  scope: Scope,
  entity: Entity,
  change: Parameters<typeof save>[2],
  once: Submission | undefined,
): Promise<Written> {
  if (!once) {
    const result = await save(scope, entity, change);
    return "row" in result ? result.row : refuse(scope, result);
  }
  const result = await saveSubmission(scope, entity, change, {
    submission: once,
    goTo: outcomeOf,
  });
  return "outcome" in result ? writtenIn(result.outcome) : refuse(scope, result);
}

function alone(): Submission {
  return { token: newToken(), digest: "" };
}

/** What is remembered of a record that was written under a key. */
function outcomeOf({ id, version }: Written): Outcome {
  return { href: String(id), text: String(version) };
}

function writtenIn({ href, text }: Outcome): Written {
  return { id: Number(href), version: Number(text) };
}

async function writtenBefore(scope: Scope, once: Submission): Promise<Written | undefined> {
  const outcome = await sentBefore(scope.db, once);
  return outcome && writtenIn(outcome);
}

/**
 * The values that a body carries, as somebody would type them. Throws a problem with all that is wrong with it: its
 * shape, as the description has it, and its values, as a form would say it.
 */
function readBody(scope: Scope, entity: Entity, body: unknown, action: "add" | "change"): Typed {
  const { api } = scope.messages;
  if (typeof body !== "object" || body === null || Array.isArray(body)) {
    throw new Problem("invalid", api.wrongBody, [{ pointer: "#", detail: api.object }]);
  }
  const asked = askedFields(scope, entity, action);
  const given = new Map<string, unknown>(Object.entries(body));
  const wrong = new Map<string, string>();
  const typed = new Map<string, readonly string[]>();
  for (const name of [...given.keys()].filter((each) => !Object.hasOwn(asked, each)).slice(0, 20)) {
    wrong.set(name.slice(0, 80), api.noMember);
  }
  for (const [name, field] of Object.entries(asked)) {
    const isNew = action === "add" && isNeeded(entity, name);
    if (!given.has(name) && !isNew) continue;
    const value = given.get(name);
    if (value !== undefined && takenShape(field, scope).safeParse(value).success) {
      const texts = typedOf(field, value, scope);
      const read = field.read(texts, scope);
      typed.set(name, texts);
      if ("error" in read) wrong.set(name, read.error);
    } else wrong.set(name, whyNot(scope, field, value));
  }
  refuseFields(scope, wrong);
  return typed;
}

/** What is wrong with a value that hasn't the shape of its field. */
function whyNot(scope: Scope, field: Field, value: unknown): string {
  const { api } = scope.messages;
  const isBlank = [undefined, null, ""].includes(value as null);
  if (field.choices && !isBlank) return api.oneOf(Object.keys(field.choices).join(", "));
  const isText = typeof value === "string" || typeof value === "number";
  // Forms have dates and times as people write them.
  const isAlike = isText && !field.kind.includes("date") && field.kind !== "time";
  const read = isBlank || isAlike ? field.read(isBlank ? [] : [String(value)], scope) : undefined;
  // A field may read more than JSON has for it, such as a number within a text.
  return read && "error" in read ? read.error : api.kinds[field.kind];
}

/** The place of a member in a body, as a JSON pointer. */
function pointerTo(name: string): string {
  return name === "" ? "#" : `#/${name.replaceAll("~", "~0").replaceAll("/", "~1")}`;
}

function refuseUnasked(scope: Scope, { unasked }: Draft): void {
  refuseFields(scope, new Map(unasked.map((name) => [name, scope.messages.notAsked])));
}

function refuseFields(scope: Scope, errors: ReadonlyMap<string, string>): void {
  if (errors.size === 0) return;
  const wrong = [...errors].map(([name, detail]) => ({ pointer: pointerTo(name), detail }));
  throw new Problem("invalid", scope.messages.api.wrongBody, wrong);
}

function refuse(scope: Scope, result: NotSaved): never {
  if ("stale" in result) throw new Problem("changed", scope.messages.api.changedSince);
  if (result.status === 503) throw new Problem("away", [...result.errors.values()].join(" "));
  refuseFields(scope, result.errors);
  throw new Problem("failed", scope.messages.logSaysMore);
}
