import type { Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { filesIn } from "../../files/stored-file.ts";
import { takeIn } from "../../files/take-in.ts";
import { sentText } from "../../http/sent-form.ts";
import { findAnyRow } from "../../store/select.ts";
import { noteUpload } from "../../store/uploads.ts";
import { filesFields, type SentRecord } from "./sent-record.ts";

/**
 * A form for a copy of a record, in which the files of that record are copied, too: each record has its own. Only those of
 * a record and of fields that the person sees; whatever else stands in the form is left as it is.
 */
export async function withCopies(
  scope: Scope,
  entity: Entity,
  sent: SentRecord,
  kept: ReadonlySet<string>,
): Promise<SentRecord> {
  const { data } = sent;
  const id = /^\d{1,15}$/.exec(sentText(data, "_copy"))?.[0];
  const fields = filesFields(entity).filter(
    ([name]) => !kept.has(name) && !scope.isHidden(entity, name),
  );
  if (id === undefined || fields.length === 0) return sent;
  const source = await findAnyRow(scope, entity, Number(id));
  if (!source) return sent;
  const digests = new Map(sent.digests);
  for (const [name, { kind, size }] of fields) {
    const theirs = new Map(filesIn(source[name]).map((file) => [file.key, file]));
    const keys: string[] = [];
    for (const key of data.getAll(name).map(String)) {
      const file = theirs.get(key);
      const stored = file && (await scope.files.read(key));
      const wanted = { isPicture: kind === "image", size: Math.max(size, file?.bytes ?? 0) };
      const taken = stored && (await takeIn(scope.files, stored.content, file.name, wanted));
      if (taken && "file" in taken) {
        await noteUpload(scope, taken.file);
        digests.set(taken.file.key, taken.digest);
        keys.push(taken.file.key);
      } else keys.push(key);
    }
    data.delete(name);
    for (const key of keys) data.append(name, key);
  }
  return { ...sent, digests };
}
