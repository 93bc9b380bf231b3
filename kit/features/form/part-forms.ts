import { HTTPException } from "hono/http-exception";
import { allowedAmong, fieldsKept } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import { isReference, type Row } from "../../entity/entity.ts";
import { withQuery } from "../../entity/links.ts";
import type { PartRows, PartsOfForm } from "../../entity/part-rows.ts";
import { type Typed, typedValues } from "../../entity/typed.ts";
import { isFiles } from "../../fields/files.tsx";
import { unitOf } from "../../fields/types.ts";
import type { SentForm } from "../../http/sent-form.ts";
import { newDraft } from "../../store/drafts.ts";
import { filterParameter } from "../../store/list/filters.ts";
import { listPage } from "../../store/list/list.ts";
import { listRequest } from "../../store/list/request.ts";
import { lookupsOf } from "../../store/options.ts";
import { findAnyRow } from "../../store/select.ts";
import { unseenReferences } from "../../store/sent-values.ts";
import { shownValues } from "../../store/shown-values.ts";
import type { Form, PartsInForm } from "../../ui/form.ts";
import { namedInput } from "../../ui/lookup-input.tsx";
import { readBeginning } from "./joining.ts";
import { takeNamed } from "./named-records.ts";
import { askedOf, type RefusedRow, type SentRow, type SentRows } from "./save-parts.ts";

/** How many rows a form shows of what is saved, and how many of one kind it carries at most. */
const most = { shown: 20, sent: 200 } as const;

/** What somebody sent in the rows of a form, and what of it wasn't saved. */
export interface RowsSent {
  kinds: ReadonlyMap<string, SentRows>;
  refused?: ReadonlyMap<string, RefusedRow>;
  /** The kind of which they want another row. */
  more?: string;
}

/** The kinds of parts that the person sees, by their names; without fields that can't be typed in a row. */
function kindsIn(scope: Scope, parts: PartsOfForm): [string, PartRows][] {
  return Object.entries(parts).flatMap(([name, part]): [string, PartRows][] => {
    const { entity, field } = part;
    if (!scope.may("see", entity) || scope.isHidden(entity, field)) return [];
    const columns = part.columns.filter((column) => {
      const input = entity.inputs[column];
      return input && !isFiles(input) && column !== field && !scope.isHidden(entity, column);
    });
    return [[name, { ...part, columns }]];
  });
}

/** The rows that a form carries. Whatever has another name than they can have is left out. */
export async function sentRows(
  scope: Scope,
  parts: PartsOfForm,
  data: SentForm,
): Promise<ReadonlyMap<string, SentRows>> {
  const kinds = kindsIn(scope, parts);
  const inputs = new Map(
    kinds.map(([name]) => [name, new Map<string, URLSearchParams>()] as const),
  );
  for (const [input, value] of data) {
    const [, name = "", at = "", own = ""] = /^(\w+)\.((?:new)?\d{1,15})\.(.+)$/s.exec(input) ?? [];
    const rows = inputs.get(name);
    if (!rows || typeof value !== "string") continue;
    const row = rows.get(at) ?? new URLSearchParams();
    row.append(own, value);
    rows.set(at, row);
    if (rows.size > most.sent) throw new HTTPException(413);
  }
  const sent = new Map<string, SentRows>();
  for (const [name, part] of kinds) {
    const rows: SentRow[] = [];
    for (const [at, row] of inputs.get(name) ?? []) {
      rows.push(await sentRow(scope, part, { name, at, data: row }));
    }
    sent.set(name, { part, rows });
  }
  return sent;
}

async function sentRow(
  scope: Scope,
  part: PartRows,
  { name, at, data }: { name: string; at: string; data: URLSearchParams },
): Promise<SentRow> {
  const asked = askedOf(part);
  const named = Object.keys(asked.inputs).map(
    (input) => [input, data.get(namedInput(input)) ?? ""] as const,
  );
  const wrong = await takeNamed(scope, asked, data);
  return {
    prefix: `${name}.${at}.`,
    id: at.startsWith("new") ? undefined : Number(at),
    version: Number(data.get("_version")) || 0,
    was: readBeginning(data.get("_was") ?? "") ?? new Map(),
    typed: typedValues(asked, data),
    isRemoved: data.get("_remove") === "yes",
    named: new Map(named.filter(([input]) => wrong.has(input))),
    wrong,
  };
}

/** A row before it is a form: a record, or a new one, and what stands in it. */
interface Start {
  prefix: string;
  record: Row | undefined;
  version: number;
  was: Typed;
  typed: Typed;
  errors: ReadonlyMap<string, string>;
  named?: ReadonlyMap<string, string>;
  isRemoved: boolean;
}

/**
 * The rows of a form: as they were sent, or those that are saved; for a new parent, a blank one, or those of the record of
 * which it is a copy.
 */
export async function partsInForm(
  scope: Scope,
  parts: PartsOfForm,
  { record: parent, copyOf }: Pick<Form, "record" | "copyOf">,
  sent?: RowsSent,
): Promise<Readonly<Record<string, PartsInForm>>> {
  const found: [string, PartsInForm][] = [];
  for (const [name, part] of kindsIn(scope, parts)) {
    const { entity, field } = part;
    const origin = parent ?? copyOf;
    const there = origin ? await savedRows(scope, part, origin) : { rows: [], count: 0 };
    const kind = sent?.kinds.get(name);
    const mayAdd = scope.may("add", entity) && !scope.withheld("add", entity).has(field);
    const own = entity.inputs[field];
    const isSingle = own !== undefined && isReference(own) && own.single === true;
    const begun = mayAdd ? await beginRow(scope, part, parent) : undefined;
    const saved = (row: Row) => startOf(scope, part, `${name}.${row.id}.`, row);
    const starts = kind
      ? await rowsAgain(scope, part, kind, sent?.refused)
      : parent
        ? there.rows.map(saved)
        : await copiedRows(scope, part, name, there.rows, begun);
    const isFull = () => isSingle && starts.some(({ isRemoved }) => !isRemoved);
    const wantsMore = sent ? sent.more === name : starts.length === 0 && !parent;
    if (begun && wantsMore && !isFull()) starts.push(newRow(begun, freePrefix(name, starts)));
    const blank = begun && !isFull() ? newRow(begun, `${name}.new0.`) : undefined;
    const forms = await rowForms(scope, part, parent, blank ? [...starts, blank] : starts);
    const href = origin
      ? withQuery(encodeURI(entity.path), new URLSearchParams(), {
          [filterParameter(field)]: String(origin.id),
        })
      : "";
    found.push([
      name,
      {
        entity,
        isSingle,
        columns: part.columns,
        remarks: part.remarks,
        units: unitsOf(scope, part),
        rows: blank ? forms.slice(0, -1) : forms,
        blank: blank && forms.at(-1),
        others:
          there.count > there.rows.length
            ? { count: there.count - there.rows.length, href }
            : undefined,
      },
    ]);
  }
  return Object.fromEntries(found);
}

/** What the numbers of parts count. */
function unitsOf(scope: Scope, { entity, columns }: PartRows): Readonly<Record<string, string>> {
  const units = columns.flatMap((name) => {
    const field = entity.fields[name];
    const unit = field && unitOf(scope, field);
    return unit ? [[name, unit] as const] : [];
  });
  return Object.fromEntries(units);
}

/** The first of the parts that are saved, in the order of their list, and how many there are. */
async function savedRows(
  scope: Scope,
  { entity, field }: PartRows,
  parent: Row,
): Promise<{ rows: Row[]; count: number }> {
  const query = new URLSearchParams({ [filterParameter(field)]: String(parent.id) });
  const page = await listPage(scope, entity, { ...listRequest(query), size: most.shown });
  return { rows: page.rows as unknown as Row[], count: page.total.count };
}

/** What the inputs of a saved row begin with. References out of sight are blank in them. */
function beginning(scope: Scope, { entity, columns }: PartRows, row: Row): Typed {
  const unseen = unseenReferences(entity, row);
  const shown = [...shownValues(scope, entity, row)];
  return new Map(shown.filter(([name]) => columns.includes(name) && !unseen.includes(name)));
}

function startOf(scope: Scope, part: PartRows, prefix: string, record: Row): Start {
  const was = beginning(scope, part, record);
  const errors = new Map<string, string>();
  return { prefix, record, version: record.version, was, typed: was, errors, isRemoved: false };
}

function newRow(typed: Typed, prefix: string): Start {
  const errors = new Map<string, string>();
  return {
    prefix,
    record: undefined,
    version: 0,
    was: typed,
    typed,
    errors,
    isRemoved: false,
  };
}

/** New rows with what other records have, as far as the person fills it in; none where they may not add any. */
async function copiedRows(
  scope: Scope,
  part: PartRows,
  name: string,
  rows: readonly Row[],
  begun: Typed | undefined,
): Promise<Start[]> {
  if (!begun || rows.length === 0) return [];
  const kept = await fieldsKept(scope, "add", part.entity);
  return rows.map((row, at) => {
    const copied = [...beginning(scope, part, row)].filter(([field]) => !kept.has(field));
    const typed = new Map([...begun, ...copied]);
    return { ...newRow(begun, `${name}.new${at + 1}.`), typed };
  });
}

/** What a new row begins with. */
async function beginRow(scope: Scope, part: PartRows, parent: Row | undefined): Promise<Typed> {
  const { entity, field, columns } = part;
  const given = new Map(parent ? [[field, [String(parent.id)]]] : []);
  const { typed } = await newDraft(scope, entity, given);
  return new Map([...typed].filter(([name]) => columns.includes(name)));
}

/** The first prefix of a new row that no other one has. */
function freePrefix(name: string, rows: readonly Start[]): string {
  for (let at = 1; ; at++) {
    const prefix = `${name}.new${at}.`;
    if (!rows.some((row) => row.prefix === prefix)) return prefix;
  }
}

/** The rows that were sent, so that nothing that was typed is lost: what was deleted meanwhile can be added as a new record. */
async function rowsAgain(
  scope: Scope,
  part: PartRows,
  { rows }: SentRows,
  refused: ReadonlyMap<string, RefusedRow> = new Map(),
): Promise<Start[]> {
  const again: Start[] = [];
  for (const row of rows) {
    const { errors = new Map<string, string>(), now } = refused.get(row.prefix) ?? {};
    const record = row.id === undefined ? undefined : await findAnyRow(scope, part.entity, row.id);
    const common = { typed: row.typed, errors, named: row.named, isRemoved: row.isRemoved };
    if (row.id !== undefined && !record) {
      if (row.isRemoved) continue;
      const prefix = freePrefix(row.prefix.split(".")[0] ?? "", again);
      again.push({ ...common, prefix, record, version: 0, was: new Map() });
    } else {
      const was = now ? beginning(scope, part, now) : row.was;
      const version = now?.version ?? row.version;
      again.push({ ...common, prefix: row.prefix, record, version, was });
    }
  }
  return again;
}

/** The forms of rows. What their lookups offer is found once for all of them. */
async function rowForms(
  scope: Scope,
  part: PartRows,
  parent: Row | undefined,
  rows: readonly Start[],
): Promise<Form[]> {
  const { entity, field } = part;
  const asked = askedOf(part);
  const ids = rows.flatMap(({ record }) => record?.id ?? []);
  const changeable = await allowedAmong(scope, "change", entity, ids);
  const removable = await allowedAmong(scope, "delete", entity, ids);
  const offered = await lookupsOf(scope, asked, new Map(), {});
  const chosen = new Map(
    Object.keys(offered.options).map((name) => [
      name,
      rows.flatMap(({ typed }) => typed.get(name) ?? []),
    ]),
  );
  const { options: known } = await lookupsOf(scope, asked, chosen, {});
  const all = new Set(part.columns);
  const units = unitsOf(scope, part);
  const forms: Form[] = [];
  for (const { prefix, record, version, was, typed, errors, named, isRemoved } of rows) {
    const options = Object.entries(known).map(([name, links]) => {
      const own = new Set(typed.get(name));
      const listed = new Set(offered.options[name]?.map(({ id }) => id));
      return [name, links.filter(({ id }) => listed.has(id) || own.has(String(id)))] as const;
    });
    const isFixed = record && !changeable.has(record.id);
    const fixed = isFixed
      ? all
      : await fieldsKept(scope, record ? "change" : "add", entity, record?.id);
    forms.push({
      scope,
      entity,
      title: record?.displayTitle ?? scope.messages.newRecord(scope.namesOf(entity).one),
      values: typed,
      errors,
      options: Object.fromEntries(options),
      many: offered.many,
      offersAt: `${encodeURI(entity.path)}/${record?.id ?? "new"}/offers`,
      ...(named && { named }),
      token: "",
      state: { shown: {}, needed: {} },
      filled: Object.keys(entity.conditionalFields.blank ?? {}),
      record,
      fixed,
      kept: record ? unseenReferences(entity, record) : [],
      version,
      isNew: !record,
      // What nobody can type doesn't come back.
      began: new Map([...was].filter(([name]) => !fixed.has(name))),
      row: {
        prefix,
        isRemoved,
        units,
        mayRemove: !record || removable.has(record.id),
        parent: parent && { field, id: parent.id },
      },
    });
  }
  return forms;
}
