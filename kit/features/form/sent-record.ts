import type { Readable } from "node:stream";
import type { Context } from "hono";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import type { Typed } from "../../entity/typed.ts";
import { type FilesField, isFiles } from "../../fields/files.tsx";
import { filesIn, isKey, type StoredFile } from "../../files/stored-file.ts";
import { type NotTaken, namesOf, takeIn } from "../../files/take-in.ts";
import { mostBytes } from "../../http/body-limit.ts";
import { sentFormWithFiles } from "../../http/sent-files.ts";
import { type SentForm, sentForm } from "../../http/sent-form.ts";
import type { Messages } from "../../messages/en.ts";
import { forgetUploads, noteUpload, uploadsOf } from "../../store/uploads.ts";
import { takeNamed } from "./named-records.ts";

/** The form of a record as it was sent; its files are in the store, and their keys in the form. */
export interface SentRecord {
  data: SentForm;
  /** What is wrong with files and with titles in lookups, by their fields. */
  wrong: Map<string, string>;
  /** Digests of the files, by their keys: by these, a form that was sent twice is known. */
  digests: ReadonlyMap<string, string>;
}

/** The most bytes of all that one form carries. */
const mostOfForm = 500_000_000;

/** Whether forms of an entity carry files. */
export function hasFiles(entity: Entity): boolean {
  return filesFields(entity).length > 0;
}

/** The fields of an entity that hold files, with their names. */
export function filesFields({ inputs }: Entity): [string, FilesField][] {
  return Object.entries(inputs).filter((each): each is [string, FilesField] => isFiles(each[1]));
}

/** The most bytes that a form of an entity carries. */
export function bytesOfForm(entity: Entity): number {
  const sum = filesFields(entity).reduce((sum, [, { most, size }]) => sum + most * size, 0);
  return mostBytes + Math.min(sum, mostOfForm);
}

/** Reads the form of a record. Files of fields that the person may not fill in aren't taken. */
export async function sentRecord(
  c: Context,
  scope: Scope,
  entity: Entity,
  kept: ReadonlySet<string>,
): Promise<SentRecord> {
  const isWhole = !/^multipart\//i.test(c.req.header("content-type") ?? "");
  const wrong = new Map<string, string>();
  const digests = new Map<string, string>();
  if (isWhole || !hasFiles(entity)) {
    const data = await sentForm(c);
    return { data, wrong: await takeNamed(scope, entity, data), digests };
  }
  await forgetUploads(scope.db, scope.files);
  const fields = filesFields(entity).filter(([name]) => !kept.has(name));
  const known = new Map(fields);
  const most = fields.reduce((sum, [, field]) => sum + field.most + 10, 0);
  const stored: string[] = [];
  try {
    const data = await sentFormWithFiles(c, most, async (name, content, fileName) => {
      const field = known.get(name);
      if (!field) {
        content.resume();
        return undefined;
      }
      const taken = await takeSent(scope, field, content, fileName);
      if ("refused" in taken) {
        wrong.set(name, [wrong.get(name), taken.refused].filter(Boolean).join(" "));
        return undefined;
      }
      stored.push(taken.file.key);
      digests.set(taken.file.key, taken.digest);
      return taken.file.key;
    });
    for (const [name, { most }] of fields) if (most === 1) replace(data, name, digests);
    for (const [name, why] of await takeNamed(scope, entity, data)) wrong.set(name, why);
    return { data, wrong, digests };
  } catch (error) {
    await scope.files.remove(stored.flatMap(namesOf)).catch(() => undefined);
    throw error;
  }
}

/** Takes a file for a field, of which it is known from then on who sent it; or says why it isn't taken. */
export async function takeSent(
  scope: Scope,
  field: FilesField,
  content: Readable,
  fileName: string,
): Promise<{ file: StoredFile; digest: string } | { refused: string; why: NotTaken }> {
  const { messages, format } = scope;
  const wanted = { isPicture: field.kind === "image", size: field.size };
  const taken = await takeIn(scope.files, content, fileName, wanted);
  if ("refused" in taken) {
    const why = whyNot(messages, taken.refused, format.size(field.size));
    return { refused: messages.files.notTaken(fileName.slice(0, 120), why), why: taken.refused };
  }
  try {
    await noteUpload(scope, taken.file);
  } catch (error) {
    await scope.files.remove(namesOf(taken.file.key)).catch(() => undefined);
    throw error;
  }
  return taken;
}

/** In a field of one file, a file that was chosen takes the place of the one that was there. */
function replace(data: FormData, name: string, sent: ReadonlyMap<string, string>): void {
  const chosen = data.getAll(name).find((key) => sent.has(String(key)));
  if (chosen !== undefined) data.set(name, chosen);
}

function whyNot({ files }: Messages, refused: NotTaken, size: string): string {
  const words: Readonly<Record<NotTaken, string>> = {
    "too large": files.tooLarge(size),
    empty: files.empty,
    "no picture": files.noPicture,
    lies: files.lies,
  };
  return words[refused];
}

/** The files that a form shows, by their keys: those of the record, and those that the person sent. */
export async function shownFiles(
  scope: Scope,
  entity: Entity,
  values: Typed,
  saved: Row | undefined,
): Promise<ReadonlyMap<string, StoredFile>> {
  const names = filesFields(entity).map(([name]) => name);
  const there = names.flatMap((name) => filesIn(saved?.[name]));
  const files = new Map(there.map((file) => [file.key, file]));
  const others = names
    .flatMap((name) => values.get(name) ?? [])
    .flatMap((text) => text.split(" "))
    .filter((key) => isKey(key) && !files.has(key));
  for (const file of await uploadsOf(scope, others.slice(0, 500))) files.set(file.key, file);
  return files;
}
