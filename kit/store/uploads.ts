import { type Kysely, sql } from "kysely";
import type { AnyTables, Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import type { Values } from "../entity/typed.ts";
import { isFiles } from "../fields/files.tsx";
import type { FileStore } from "../files/file-store.ts";
import { filesIn, heldFiles, type StoredFile } from "../files/stored-file.ts";
import { namesOf } from "../files/take-in.ts";
import { atSecond } from "../formula/zones.ts";
import { asciiJson } from "./submissions.ts";

/**
 * The files that were sent, by their keys, until a record is saved with them: only whoever sent one may use it, and after a
 * day it is forgotten.
 */
const table = sql.table("levadura_upload");

/** How long a file that no record was saved with is kept, in milliseconds. */
export const uploadKept = 24 * 60 * 60 * 1000;

/** Notes a file that is in the store now. */
export async function noteUpload(scope: Scope, file: StoredFile): Promise<void> {
  const row = sql.join([file.key, scope.person?.id ?? 0, asciiJson([file]), scope.now]);
  await sql`insert into ${table} (file_key, account_id, described, added_at) values (${row})`.execute(
    scope.db,
  );
}

/** Those of some files that the person sent, and that no record was saved with yet. */
export async function uploadsOf(scope: Scope, keys: readonly string[]): Promise<StoredFile[]> {
  if (keys.length === 0) return [];
  const { rows } = await sql<{ described: string }>`
    select described from ${table}
    where file_key in (${sql.join(keys)}) and account_id = ${scope.person?.id ?? 0}`.execute(
    scope.db,
  );
  return rows.flatMap(({ described }) => filesIn(described));
}

/**
 * The values of a record with its files as a column holds them. Each was in the field before, or the person sent it just
 * now; the names of the others' fields are in `strange`. In the transaction of the save: what is found belongs to the record from then on.
 */
export async function withFiles(
  scope: Scope,
  { inputs }: Entity,
  values: Values,
  before: Readonly<Record<string, unknown>> | undefined,
): Promise<{ values: Values; strange: string[] }> {
  const made: Record<string, unknown> = { ...values };
  const strange: string[] = [];
  const claimed: string[] = [];
  for (const [name, field] of Object.entries(inputs)) {
    if (!isFiles(field)) continue;
    const asked = filesIn(values[name]).map(({ key }) => key);
    if (asked.length === 0) continue;
    const there = new Map(filesIn(before?.[name]).map((file) => [file.key, file]));
    const sent = await uploadsOf(
      scope,
      asked.filter((key) => !there.has(key)),
    );
    const known = new Map([...there, ...sent.map((file) => [file.key, file] as const)]);
    const files = asked.flatMap((key) => known.get(key) ?? []);
    if (files.length < asked.length) strange.push(name);
    made[name] = heldFiles(files);
    claimed.push(...sent.map(({ key }) => key));
  }
  if (claimed.length > 0 && strange.length === 0) {
    await sql`delete from ${table} where file_key in (${sql.join(claimed)})`.execute(scope.db);
  }
  return { values: made, strange };
}

let forgotten = 0;

/** Removes files that were sent long ago and that no record was saved with, every now and then. */
export async function forgetUploads(db: Kysely<AnyTables>, store: FileStore): Promise<void> {
  if (Date.now() - forgotten < uploadKept / 24) return;
  forgotten = Date.now();
  const oldest = atSecond(Date.now() - uploadKept);
  const { rows } = await sql<{ file_key: string }>`
    select file_key from ${table} where added_at < ${oldest}`.execute(db);
  for (const { file_key: key } of rows) {
    // Whoever saves a record with it first keeps it.
    const { numAffectedRows } = await sql`
      delete from ${table} where file_key = ${key}`.execute(db);
    if (numAffectedRows === 1n) await store.remove(namesOf(key));
  }
}
