import { type Selectable, sql } from "kysely";
import { type AccountTables, accountTables } from "../access/account-tables.ts";
import { firstOrganisation } from "../access/accounts.ts";
import type { LoggedAction } from "../access/action.ts";
import type { Person } from "../access/person.ts";
import type { Scope } from "../access/scope.ts";
import { contains } from "../database/current-dialect.ts";
import { type Entity, isComputed, isReferences, type Row } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import { atSecond } from "../formula/zones.ts";

/** What a field of a record held, as it is saved: numbers of records for what refers. */
export type Held = string | number | boolean | null | readonly number[];

/** The fields of a record that changed: what each held before, and after. */
export type Differences = Readonly<Record<string, readonly [Held, Held]>>;

/** An entry of the log. */
export type Entry = Omit<
  Selectable<AccountTables["levadura_change"]>,
  "account_id" | "organisation_id"
>;

/** Notes what was done with a record, in the transaction in which it is done; nothing where nobody signs in. */
export async function noteChange(
  scope: Scope,
  entity: Entity,
  { before, after }: { before?: Row | undefined; after?: Row | undefined },
): Promise<void> {
  const row = after ?? before;
  if (!scope.access || !row) return;
  const differences = differencesOf(entity, before, after);
  if (before && after && Object.keys(differences).length === 0) return;
  await note(scope, {
    action: before ? (after ? "change" : "delete") : "add",
    entity_table: entity.table,
    record_id: row.id,
    record_title: row.displayTitle.slice(0, 200),
    details: differences,
  });
}

/** Notes what happened besides records. */
export async function noteEvent(
  scope: Scope,
  action: LoggedAction,
  details: Readonly<Record<string, unknown>> = {},
): Promise<void> {
  if (!scope.access) return;
  await note(scope, {
    action,
    entity_table: null,
    record_id: null,
    record_title: null,
    details,
  });
}

let forgotten = 0;

/** Deletes entries that are older than LOG_DAYS, every hour; without that setting, all are kept. */
async function forgetOld({ db }: Scope): Promise<void> {
  const days = Number(process.env.LOG_DAYS);
  if (!(days > 0) || Date.now() - forgotten < 3_600_000) return;
  forgotten = Date.now();
  const oldest = atSecond(Date.now() - days * 86_400_000);
  await accountTables(db).deleteFrom("levadura_change").where("made_at", "<", oldest).execute();
}

async function note(
  scope: Scope,
  entry: Pick<Entry, "entity_table" | "record_id" | "record_title"> & {
    action: LoggedAction;
    details: object;
  },
): Promise<void> {
  const { db, organisation, person, address, now } = scope;
  await forgetOld(scope);
  await accountTables(db)
    .insertInto("levadura_change")
    .values({
      made_at: now,
      organisation_id: organisation ?? null,
      account_id: person?.id ?? null,
      account_name: person ? nameOf(person) : null,
      address: address.slice(0, 60),
      ...entry,
      details: JSON.stringify(entry.details),
    })
    .execute();
}

/** Who it was: a person, or a program that has a token of theirs. */
function nameOf({ name, token }: Person): string {
  return (token ? `${name} · ${token.name}` : name).slice(0, 120);
}

function differencesOf(entity: Entity, before: Row | undefined, after: Row | undefined) {
  const differences: Record<string, readonly [Held, Held]> = {};
  for (const [name, field] of Object.entries(entity.fields)) {
    if (isComputed(field)) continue;
    const held = (row: Row | undefined): Held => {
      const value = row?.[name] ?? null;
      return isReferences(field)
        ? ((value ?? []) as readonly Link[]).map(({ id }) => id).sort((one, other) => one - other)
        : (value as Held);
    };
    const [old, now] = [held(before), held(after)];
    if (JSON.stringify(old) !== JSON.stringify(now)) differences[name] = [old, now];
  }
  return differences;
}

/** Which entries are asked for, the last ones first. */
export interface LogRequest {
  entity?: string | undefined;
  record?: number | undefined;
  /** A part of a person's name. */
  who?: string | undefined;
  /** Fields of which nothing is told. */
  without?: ReadonlySet<string>;
  offset: number;
  limit: number;
}

/** Some entries of the log, and how many there are in all. */
export async function entriesOf(
  { db, organisation }: Scope,
  { entity, record, who, without, offset, limit }: LogRequest,
): Promise<{ total: number; entries: Entry[] }> {
  let query = accountTables(db).selectFrom("levadura_change");
  // What happened before somebody was in an organisation is for those who run the application.
  const seen = organisation === firstOrganisation ? [0, organisation] : [organisation ?? 0];
  if (organisation !== undefined) query = query.where("organisation_id", "in", seen);
  if (entity !== undefined) query = query.where("entity_table", "=", entity);
  if (record !== undefined) query = query.where("record_id", "=", record);
  if (who) query = query.where(contains(sql.ref("account_name"), who));
  const { total } = await query
    .select(({ fn }) => fn.countAll().as("total"))
    .executeTakeFirstOrThrow();
  const entries = await query
    .select([
      "id",
      "made_at",
      "account_name",
      "address",
      "action",
      "entity_table",
      "record_id",
      "record_title",
      "details",
    ])
    .orderBy("id", "desc")
    .limit(limit)
    .offset(offset)
    .execute();
  return { total: Number(total), entries: without ? entries.map(leftOut(without)) : entries };
}

function leftOut(without: ReadonlySet<string>): (entry: Entry) => Entry {
  return (entry) => {
    const told = Object.entries(JSON.parse(entry.details) as object).filter(
      ([name]) => !without.has(name),
    );
    return { ...entry, details: JSON.stringify(Object.fromEntries(told)) };
  };
}
