import { type Kysely, sql } from "kysely";
import { type Usage, usedUp } from "../access/plans.ts";
import { fieldsKept, mayHaveAdded, requireOn } from "../access/row-rights.ts";
import type { AnyTables, Scope } from "../access/scope.ts";
import { whoSignsIn } from "../access/who-signs-in.ts";
import { constraintViolation, troubleOf } from "../database/current-dialect.ts";
import {
  type Entity,
  type InputOf,
  isReference,
  isReferences,
  isUnasked,
  type Row,
} from "../entity/entity.ts";
import { labelIn } from "../entity/label.ts";
import type { RuleContext } from "../entity/rules.ts";
import { startValues, type Values } from "../entity/typed.ts";
import { archiveConditions } from "./archive.ts";
import { noteChange } from "./audit.ts";
import { lastPlace } from "./by-hand.ts";
import { replaceLinks } from "./join-tables.ts";
import { logError } from "./log.ts";
import { brokenRowRules, errorsOf } from "./row-rules.ts";
import { findAnyRow } from "./select.ts";
import { type Change, fieldsSent, readAsked, withoutKept } from "./sent-values.ts";
import { type Outcome, type Submission, submitOnce } from "./submissions.ts";
import { endedTransaction, inTransaction } from "./transactions.ts";
import { circlesOf } from "./trees.ts";
import { withFiles } from "./uploads.ts";

/** Why nothing was saved. */
export type NotSaved =
  | { errors: Map<string, string>; status?: 503 }
  /** Somebody else saved the record since. */
  | { stale: true };

/**
 * The one way to write a record. Checks what was typed, asks the entity's own rules, and writes in one transaction in
 * which all rules of rows are checked. Throws `Forbidden` where the person may not do it.
 */
export async function save(
  scope: Scope,
  entity: Entity,
  change: Change,
): Promise<{ row: Row } | NotSaved> {
  return saveBy(scope, entity, change, async (work) => {
    const row = await inTransaction(scope.db, (trx) => work(trx, refuseStale));
    return { row };
  });
}

/**
 * Tries whether a record could be saved: all is checked and written, and then taken back. The developer's `afterSave`
 * isn't called, as it may do something outside of the database.
 */
export async function tryOut(
  scope: Scope,
  entity: Entity,
  change: Change,
): Promise<{ row: Row } | NotSaved> {
  const inOneTransaction = async (work: Work) => {
    try {
      return await inTransaction(scope.db, async (trx) => {
        throw new TriedOut(await work(trx, refuseStale));
      });
    } catch (error) {
      if (error instanceof TriedOut) return { row: error.row };
      throw error;
    }
  };
  return saveBy(scope, entity, change, inOneTransaction, true);
}

/** Ends a transaction in which something was only tried. */
class TriedOut extends Error {
  constructor(readonly row: Row) {
    super();
  }
}

/** Adds a record of ready values; throws where something is wrong with them. Returns its number. */
export async function create<Known extends Entity>(
  scope: Scope,
  entity: Known,
  values: InputOf<Known>,
): Promise<number> {
  const result = await save(scope, entity, { values: values as Values });
  if ("row" in result) return result.row.id;
  throw new Error("errors" in result ? [...result.errors].join("; ") : "stale");
}

/**
 * Saves what a form carries, once however often it is sent. `goTo` says what follows; `along` saves what belongs to the
 * record in the same transaction, of which nothing is kept where it throws.
 */
export async function saveSubmission(
  scope: Scope,
  entity: Entity,
  change: Change,
  {
    submission,
    goTo,
    along,
  }: {
    submission: Submission;
    goTo(row: Row): Outcome;
    along?(within: Scope, row: Row): Promise<void>;
  },
): Promise<{ token: string; outcome: Outcome } | NotSaved> {
  return saveBy(scope, entity, change, async (work) => {
    const result = await submitOnce<"stale">(scope.db, submission, async (trx, refuse) => {
      const row = await work(trx, () => refuse("stale"));
      await along?.(scope.within(trx), row);
      return goTo(row);
    });
    return "refused" in result ? { stale: true } : result;
  });
}

/** Writes the record within a transaction, and returns it as it is then. */
type Work = (trx: Kysely<AnyTables>, refuse: () => never) => Promise<Row>;

async function saveBy<Result>(
  scope: Scope,
  entity: Entity,
  change: Change,
  inOneTransaction: (work: Work) => Promise<Result | { stale: true }>,
  isTrial = false,
): Promise<Result | NotSaved> {
  const { saved } = change;
  scope.require(saved ? "change" : "add", entity);
  const kept = await fieldsKept(scope, saved ? "change" : "add", entity, saved?.row.id);
  const whole = saved && (await wholeRow(scope, entity, saved.row));
  if (saved && !whole) return { stale: true };
  const read = await readAsked(scope, entity, change, { kept, whole });
  if ("errors" in read) return read;
  const { values } = read;
  try {
    return await inOneTransaction(async (trx, refuse) => {
      const within = scope.within(trx);
      const asked = withoutKept(values, values, kept);
      const row = saved?.row;
      await requireInSight(within, entity, asked, { row, isTyped: "typed" in change });
      const context = contextOf(within, whole);
      const filed = await valuesWithFiles(within, entity, values, whole);
      const rules = scope.entities.rulesOf(entity);
      const wrong = Object.entries((await rules.check?.(filed, context)) ?? {});
      if (wrong.length > 0) throw new WrongFields(new Map(wrong as [string, string][]));
      const made: Values = (await rules.beforeSave?.(filed, context)) ?? filed;
      const ready = saved ? withoutKept(made, filed, kept) : made;
      const before = scope.access && saved && (await wholeRow(within, entity, saved.row));
      const full = saved ? undefined : await usedUp(within, entity);
      if (full) {
        throw new WrongFields(new Map([["", planMessage(scope, entity, full)]]));
      }
      const id = saved
        ? await update(within, entity, saved.row.id, saved.version, ready)
        : await insert(within, entity, ready);
      if (id === undefined) {
        if (saved) await requireOn(within, "change", entity, saved.row.id);
        return refuse();
      }
      if (!saved) await requireAdded(within, entity, id, change);
      if (!isTrial) await rules.afterSave?.(id, context);
      const broken = await brokenRowRules(within, entity, id);
      if (broken.length > 0) throw new WrongFields(errorsOf(scope, entity, broken));
      const circles = await circlesOf(within, entity, id);
      if (circles.length > 0) throw new WrongFields(circleErrors(scope, entity, circles));
      const seen = await findAnyRow(within, entity, id);
      const now = seen ?? (await findSaved(within, entity, id));
      if (scope.access) {
        await noteChange(within, entity, { before, after: await wholeRow(within, entity, now) });
      }
      return now;
    });
  } catch (error) {
    if (error instanceof Stale) return { stale: true };
    if (error instanceof WrongFields) return { errors: error.errors };
    const trouble = troubleOf(error);
    if (trouble && endedTransaction(error)) {
      logError(error, `saving ${entity.table}`);
      return { errors: new Map([["", scope.messages.troubles[trouble]]]), status: 503 };
    }
    return { errors: await refusedFields(scope, entity, error, values) };
  }
}

/** The values with all that is known of their files; ends the save where one of these isn't for the person to use. */
async function valuesWithFiles(
  scope: Scope,
  entity: Entity,
  values: Values,
  before: Row | undefined,
): Promise<Values> {
  const filed = await withFiles(scope, entity, values, before);
  if (filed.strange.length > 0) {
    throw new WrongFields(new Map(filed.strange.map((name) => [name, scope.messages.files.gone])));
  }
  return filed.values;
}

/** Ends the save of a new record that the person may not add, or with fields that they may not fill in. */
async function requireAdded(
  scope: Scope,
  entity: Entity,
  id: number,
  change: Change,
): Promise<void> {
  if (!(await mayHaveAdded(scope, entity, id))) {
    throw new WrongFields(new Map([["", scope.messages.mayNotAddThis]]));
  }
  if (!("typed" in change) || scope.withheld("add", entity).size === 0) return;
  const kept = await fieldsKept(scope, "add", entity, id);
  const sent = fieldsSent(scope, entity, change.typed, kept, undefined);
  if (sent.length === 0) return;
  throw new WrongFields(new Map(sent.map((name) => [name, scope.messages.mayNotChange])));
}

/**
 * Ends the save where it refers to records that the person may not see, as if they weren't there, or, in a form, to one
 * of nobody who can sign in where only such can be chosen.
 */
async function requireInSight(
  scope: Scope,
  entity: Entity,
  values: Values,
  { row, isTyped }: { row: Row | undefined; isTyped: boolean },
): Promise<void> {
  for (const [name, field] of Object.entries(entity.inputs)) {
    if (!isReference(field) && !isReferences(field)) continue;
    const target = scope.entities.named(field.to);
    const people = isTyped && isReference(field) && field.signsIn === true;
    if (!scope.rowCondition(target) && !people) continue;
    const value = values[name];
    const chosen = (Array.isArray(value) ? value : [value]).filter(
      (id) => typeof id === "number" && id !== row?.[name],
    );
    if (chosen.length === 0) continue;
    const { rows } = await sql`
      select seen.id from ${scope.rowsOf(target)} as seen where seen.id in (${sql.join(chosen)})
      ${people ? sql`and seen.id in ${whoSignsIn(scope)}` : sql``}`.execute(scope.db);
    if (rows.length < new Set(chosen).size) {
      throw new WrongFields(new Map([["", scope.messages.chosenIsGone]]));
    }
  }
}

/** A record with all that the person may not see of it; undefined where it is gone by now. */
async function wholeRow(scope: Scope, entity: Entity, row: Row): Promise<Row | undefined> {
  const hides =
    scope.unseen(entity).size > 0 ||
    Object.values(entity.fields).some(
      (field) => isReferences(field) && scope.rowCondition(scope.entities.named(field.to)),
    );
  return hides ? findAnyRow(scope.seeingAll(), entity, row.id) : row;
}

/** A record as it is, whether or not the person may see it. */
async function findSaved(scope: Scope, entity: Entity, id: number): Promise<Row> {
  const row = await findAnyRow(scope.seeingAll(), entity, id);
  if (!row) throw new Error(`The ${entity.table} that was saved is not there.`);
  return row;
}

/** What is said where a plan has no room for another record. */
function planMessage(scope: Scope, entity: Entity, { most }: Usage): string {
  const { many } = scope.namesOf(entity);
  return scope.messages.planFull(scope.format.number(most), many);
}

/** What the rules of an entity may look at. */
export function contextOf<Saved>(scope: Scope, saved: Saved): RuleContext<AnyTables, Saved> {
  const { db, person, now, today } = scope;
  return { db, person, now, today, saved };
}

/** Ends a save with what is wrong, by input. */
class WrongFields extends Error {
  constructor(readonly errors: Map<string, string>) {
    super([...errors.values()].join(" "));
  }
}

/** Ends a save of a record that somebody else saved since. */
class Stale extends Error {}

function refuseStale(): never {
  throw new Stale();
}

/** The values of columns, and what the link tables of many-to-many fields are to hold. */
function split(entity: Entity, values: Values) {
  const columns: Record<string, unknown> = {};
  const links: [string, readonly number[]][] = [];
  for (const [name, value] of Object.entries(values)) {
    const field = entity.fields[name];
    if (field && isReferences(field)) links.push([name, value as readonly number[]]);
    else columns[name] = value;
  }
  return { columns, links };
}

async function saveLinks(
  scope: Scope,
  entity: Entity,
  id: number,
  links: readonly [string, readonly number[]][],
): Promise<void> {
  for (const [name, targets] of links) {
    const field = entity.fields[name];
    if (field && isReferences(field)) await replaceLinks(scope, field, id, targets);
  }
}

async function insert(scope: Scope, entity: Entity, values: Values): Promise<number> {
  const { columns, links } = split(entity, values);
  const unasked = Object.entries(entity.fields).filter(([, field]) => isUnasked(field));
  const made = unasked.flatMap(([name, field]) =>
    isUnasked(field) && field.made ? [[name, field.made(values, scope)]] : [],
  );
  const row = {
    ...startValues(Object.fromEntries(unasked), scope),
    ...columns,
    ...Object.fromEntries(made),
    ...(entity.organised &&
      scope.organisation !== undefined && { organisation_id: scope.organisation }),
    ...(await lastPlace(scope.db, entity)),
    created_at: scope.now,
    updated_at: scope.now,
  };
  const { id } = (await scope.db
    .insertInto(entity.table)
    .values(row)
    .returning("id")
    .executeTakeFirstOrThrow()) as { id: number };
  await saveLinks(scope, entity, id, links);
  return id;
}

/** Undefined where the record has another version by now, or is out of sight. */
async function update(
  scope: Scope,
  entity: Entity,
  id: number,
  version: number,
  values: Values,
): Promise<number | undefined> {
  const { columns, links } = split(entity, values);
  const { numUpdatedRows } = await scope.db
    .updateTable(entity.table)
    .set({ ...columns, version: version + 1, updated_at: scope.now })
    .where("id", "=", id)
    .where("version", "=", version)
    .where(scope.allows("change", entity))
    .executeTakeFirst();
  if (numUpdatedRows === 0n) return undefined;
  await saveLinks(scope, entity, id, links);
  return id;
}

function circleErrors(scope: Scope, entity: Entity, columns: readonly string[]) {
  const { one } = scope.namesOf(entity);
  return new Map(columns.map((column) => [column, scope.messages.aboveItself(one)]));
}

/** The fields that a refusal of the database is about; any other error is thrown. */
async function refusedFields(
  scope: Scope,
  entity: Entity,
  error: unknown,
  values: Values,
): Promise<Map<string, string>> {
  const { inputs, rowRules } = entity;
  const refused = constraintViolation(error, Object.keys(inputs));
  if (!refused) throw error;
  const checked = rowRules.filter(({ check }) => check && check === refused.check);
  if (checked.length > 0) return errorsOf(scope, entity, checked);
  const { messages, language } = scope;
  if (refused.reason === "reference") return new Map([["", messages.chosenIsGone]]);
  const names = refused.columns.filter((column) => Object.hasOwn(inputs, column));
  if (refused.reason === "check") return new Map([["", messages.valuesRefused]]);
  const seen = await isInSight(scope, entity, names, values);
  const { one } = scope.namesOf(entity);
  const labels = names.map((name) => labelIn(inputs[name]?.label ?? name, language));
  const message = names.length > 1 ? messages.sameTogether(one, labels) : messages.sameAlready(one);
  return new Map([[names[0] ?? "", seen ? message : messages.valuesRefused]]);
}

/** Whether a record with the same values is one that the person may see: otherwise nothing is told of it. */
async function isInSight(
  scope: Scope,
  entity: Entity,
  names: readonly string[],
  values: Values,
): Promise<boolean> {
  if (!scope.rowCondition(entity)) return true;
  if (names.length === 0) return false;
  const same = [
    ...names.map((name) => sql`${sql.ref(name)} = ${values[name]}`),
    ...(entity.freesUnique ? archiveConditions(entity, "in use", "seen") : []),
  ];
  const { rows } = await sql`
    select 1 as found from ${scope.rowsOf(entity)} as seen where ${sql.join(same, sql` and `)}`.execute(
    scope.db,
  );
  return rows.length > 0;
}
