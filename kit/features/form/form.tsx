import type { Context } from "hono";
import type { FC } from "hono/jsx";
import { usageOf } from "../../access/plans.ts";
import { fieldsKept, requireOn } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { address, isSameAddress, localAddress } from "../../entity/links.ts";
import {
  isBlankTyped,
  isSameTyped,
  rightValues,
  startValues,
  type Typed,
  typedValues,
  writtenValues,
} from "../../entity/typed.ts";
import {
  type SentForm,
  sentForm,
  sentSubmission,
  sentText,
  sentVersion,
} from "../../http/sent-form.ts";
import { stateOf } from "../../store/conditional-fields.ts";
import { filledIn } from "../../store/drafts.ts";
import { optionsOf } from "../../store/options.ts";
import { messageOf } from "../../store/row-rules.ts";
import { type NotSaved, saveSubmission } from "../../store/save.ts";
import { findAnyRow } from "../../store/select.ts";
import { unseenReferences } from "../../store/sent-values.ts";
import { newToken, type Outcome, type Submission, sentBefore } from "../../store/submissions.ts";
import type { Form, FormProps } from "../../ui/form.ts";
import { showPage } from "../../ui/layout.tsx";
import { seenErrors } from "../../ui/seen-errors.ts";
import { askedRecord, type Feature, recordPart } from "../feature.ts";
import { leave } from "../leave.ts";

/** The forms of an entity: for a new record, and for one that is there. */
export function form<Known extends Entity>(known: Known, Page: FC<FormProps>): Feature {
  const entity = known as unknown as Entity;
  const { path } = entity;
  const add = { action: "add", entity } as const;
  const change = { action: "change", entity } as const;
  const show: Showing = (c, form, status = 200) =>
    showPage(c, form.scope, <Page form={form} />, { title: form.title, status });
  const state = async (c: Context, scope: Scope) => {
    const typed = typedValues(entity, await sentForm(c));
    const saved = await askedRecord(c, scope, entity);
    const kept = await keptFrom(scope, entity, saved);
    return c.json(await formState(scope, entity, typed, { saved, kept }));
  };
  return {
    links: [
      {
        on: "list",
        needs: "add",
        path: "/new",
        look: "primary",
        text: (messages, { one }) => messages.newRecord(one),
      },
      {
        on: "record",
        needs: "change",
        path: "/edit",
        look: "primary",
        text: (messages) => messages.edit,
      },
    ],
    routes: [
      {
        method: "GET",
        path: `${path}/new`,
        needs: add,
        answer: (c, scope) => beginNew(c, scope, entity, show),
      },
      {
        method: "POST",
        path: `${path}/new`,
        needs: add,
        answer: (c, scope) => saveNew(c, scope, entity, show),
      },
      { method: "POST", path: `${path}/new/form-state`, needs: add, answer: state },
      { method: "POST", path: `${path}/${recordPart}/form-state`, needs: change, answer: state },
      {
        method: "GET",
        path: `${path}/${recordPart}/edit`,
        needs: change,
        answer: (c, scope) => beginEdit(c, scope, entity, show),
      },
      {
        method: "POST",
        path: `${path}/${recordPart}/edit`,
        needs: change,
        answer: (c, scope) => saveEdit(c, scope, entity, show),
      },
    ],
  };
}

type Showing = (c: Context, form: Form, status?: number) => Response | Promise<Response>;

async function beginNew(c: Context, scope: Scope, entity: Entity, show: Showing) {
  const query = new URL(c.req.url).searchParams;
  const starts = writtenValues(entity, startValues(entity.inputs, scope), scope);
  const asked = typedValues(entity, query);
  // Addresses have days as `2026-05-03`; forms have them as the person writes them.
  const right = writtenValues(entity, rightValues(entity, asked, scope), scope);
  const given = [...asked].map(([name, typed]) => [name, right.get(name) ?? typed] as const);
  const begun = new Map([...starts, ...given]);
  const values = await filledIn(scope, entity, "starts", begun);
  const form = await newForm(scope, entity, values);
  return show(c, { ...form, back: localAddress(query.get("_back")) });
}

async function saveNew(c: Context, scope: Scope, entity: Entity, show: Showing) {
  const data = await sentForm(c);
  const submission = sentSubmission(c, data);
  const sent = await typedIn(scope, entity, data);
  const values = await filledIn(scope, entity, "blank", sent.values);
  const back = localAddress(sentText(data, "_back"));
  const next = sentText(data, "_then") === "another";
  const { search } = new URL(c.req.url);
  const goTo = (row: Row): Outcome => {
    const here = address(row);
    // Who adds what they may not see goes on with another one.
    if (!scope.may("see", entity)) {
      const again = `${encodeURI(entity.path)}/new${search}`;
      return { href: again, text: scope.messages.saved(scope.namesOf(entity).heading) };
    }
    return {
      href: next ? `${encodeURI(entity.path)}/new${search}` : (back ?? here),
      text: scope.messages.savedNext(scope.namesOf(entity).heading),
      link: { text: row.displayTitle.slice(0, 200), href: here },
    };
  };
  const result = await saveSent(scope, entity, { ...sent, values }, { submission, goTo });
  if ("token" in result) return leave(c, result);
  const form = { ...(await newForm(scope, entity, values, submission.token)), back };
  const errors = "errors" in result ? result.errors : new Map<string, string>();
  return show(c, withErrors(form, errors), ("status" in result && result.status) || 422);
}

async function beginEdit(c: Context, scope: Scope, entity: Entity, show: Showing) {
  const record = await askedRecord(c, scope, entity);
  if (!record) return c.notFound();
  await requireOn(scope, "change", entity, record.id);
  const form = await editForm(scope, entity, writtenValues(entity, record, scope), record);
  return show(c, { ...form, back: localAddress(c.req.query("_back")) ?? address(record) });
}

async function saveEdit(c: Context, scope: Scope, entity: Entity, show: Showing) {
  const data = await sentForm(c);
  const submission = sentSubmission(c, data);
  const row = await askedRecord(c, scope, entity);
  if (!row) return afterDeletion(c, scope, entity, data, submission, show);
  const back = localAddress(sentText(data, "_back"));
  const sent = await typedIn(scope, entity, data, row);
  const version = sentVersion(data);
  const before = address(row);
  const goTo = (now: Row): Outcome => {
    const here = back && !isSameAddress(back, before) ? back : address(now);
    return { href: here, text: scope.messages.saved(scope.namesOf(entity).heading) };
  };
  const result: Saving =
    version === undefined
      ? { stale: true }
      : await saveSent(scope, entity, { ...sent, saved: { row, version } }, { submission, goTo });
  if ("token" in result) return leave(c, result);
  const form = { ...(await editForm(scope, entity, sent.values, row, submission.token)), back };
  if ("stale" in result) {
    const now = await findAnyRow(scope, entity, row.id);
    if (!now) return afterDeletion(c, scope, entity, data, submission, show);
    const saved = writtenValues(entity, now, scope);
    return show(c, { ...form, version: now.version, saved }, 409);
  }
  const shown = withErrors(form, result.errors);
  return show(c, { ...shown, version: version ?? row.version }, result.status ?? 422);
}

/** What was typed for a record that is gone: it can be saved as a new one. */
async function afterDeletion(
  c: Context,
  scope: Scope,
  entity: Entity,
  data: SentForm,
  submission: Submission,
  show: Showing,
) {
  const before = await sentBefore(scope.db, submission);
  if (before) return leave(c, { token: submission.token, outcome: before });
  const form = await newForm(scope, entity, typedValues(entity, data));
  return show(c, { ...form, wasDeleted: true, action: `${encodeURI(entity.path)}/new` }, 409);
}

/** The result of a form: saved, or why not. */
type Saving = { token: string; outcome: Outcome } | NotSaved;

/** What somebody sent, and what of it the form didn't ask for. */
interface Sent {
  values: Typed;
  unasked: Map<string, string>;
}

function saveSent(
  scope: Scope,
  entity: Entity,
  { values, unasked, saved }: Sent & { saved?: { row: Row; version: number } },
  once: Parameters<typeof saveSubmission>[3],
): Promise<Saving> {
  if (unasked.size > 0) return Promise.resolve({ errors: unasked });
  return saveSubmission(scope, entity, { typed: values, saved }, once);
}

/** The record of a form, if it isn't one for a new record, and the fields that the person may not fill in. */
interface Before {
  saved?: Row | undefined;
  kept: ReadonlySet<string>;
}

function keptFrom(scope: Scope, entity: Entity, saved?: Row): Promise<ReadonlySet<string>> {
  return fieldsKept(scope, saved ? "change" : "add", entity, saved?.id);
}

/** What the form shows and needs, by what is typed in it and what is there besides. */
function formState(scope: Scope, entity: Entity, typed: Typed, { saved, kept }: Before) {
  const inputs = Object.entries(entity.inputs).filter(([name]) => !kept.has(name));
  const asked = { ...entity, inputs: Object.fromEntries(inputs) };
  const there = saved ?? (kept.size > 0 ? startValues(entity.inputs, scope) : {});
  return stateOf(scope, entity, { ...there, ...rightValues(asked, typed, scope) });
}

async function newForm(scope: Scope, entity: Entity, values: Typed, token?: string): Promise<Form> {
  const title = scope.messages.newRecord(scope.namesOf(entity).one);
  const form = await formOf(scope, entity, values, { title, token });
  return { ...form, note: await planNote(scope, entity) };
}

/** Says that a plan is nearly used up, before it is. */
async function planNote(scope: Scope, entity: Entity): Promise<string | undefined> {
  const usage = await usageOf(scope, entity);
  if (!usage || usage.used < 0.8 * usage.most) return undefined;
  const { format, messages } = scope;
  const { many } = scope.namesOf(entity);
  return messages.planNearlyFull(format.number(usage.used), format.number(usage.most), many);
}

async function editForm(
  scope: Scope,
  entity: Entity,
  values: Typed,
  saved: Row,
  token?: string,
): Promise<Form> {
  const title = scope.messages.editRecord(saved.displayTitle);
  return formOf(scope, entity, values, { title, token, saved });
}

async function formOf(
  scope: Scope,
  entity: Entity,
  values: Typed,
  { title, saved, token = newToken() }: { title: string; saved?: Row; token?: string | undefined },
): Promise<Form> {
  const { shown, needed, blank = {} } = entity.conditionalFields;
  const fixed = await keptFrom(scope, entity, saved);
  return {
    scope,
    entity,
    title,
    values,
    errors: new Map(),
    options: await optionsOf(scope, entity, values),
    token,
    state: await formState(scope, entity, values, { saved, kept: fixed }),
    fixed,
    record: saved,
    filled: saved ? [] : Object.keys(blank),
    kept: saved ? unseenReferences(entity, saved) : [],
    ...((shown || needed) && {
      stateAt: `${encodeURI(entity.path)}/${saved?.id ?? "new"}/form-state`,
    }),
    version: saved?.version ?? 0,
    isNew: !saved,
  };
}

/**
 * What was typed. What the form doesn't ask for, as things are, stays as it is, or as a new record starts;
 * what somebody sends for it all the same is an error.
 */
async function typedIn(scope: Scope, entity: Entity, data: SentForm, saved?: Row): Promise<Sent> {
  const values = new Map(typedValues(entity, data));
  const unasked = new Map<string, string>();
  const { shown: conditions } = entity.conditionalFields;
  if (!conditions) return { values, unasked };
  const kept = await keptFrom(scope, entity, saved);
  const others = writtenValues(entity, saved ?? startValues(entity.inputs, scope), scope);
  const keep = (name: string) => {
    values.delete(name);
    const kept = others.get(name);
    if (kept) values.set(name, kept);
  };
  for (const name of data.getAll("_unasked").map(String)) {
    if (Object.hasOwn(conditions, name)) keep(name);
  }
  // What is reverted may have been what another field is shown for.
  for (let round = 0; round < 3; round++) {
    const { shown } = await formState(scope, entity, values, { saved, kept });
    const hidden = Object.keys(shown).filter(
      (name) =>
        !shown[name] &&
        !isBlankTyped(values.get(name)) &&
        !isSameTyped(values.get(name), others.get(name)),
    );
    for (const name of hidden) {
      unasked.set(name, scope.messages.notAsked);
      keep(name);
    }
    if (hidden.length === 0) break;
  }
  return { values, unasked };
}

/**
 * A form with what is wrong in it; what is needed besides is said at once, whatever was refused first. Of fields that
 * the person doesn't see, nothing is said but that something is wrong.
 */
function withErrors(form: Form, found: ReadonlyMap<string, string>): Form {
  const { scope, entity } = form;
  const errors = seenErrors(scope, entity, found);
  for (const [name, needed] of Object.entries(form.state.needed)) {
    const asked = needed && !form.fixed.has(name) && isBlankTyped(form.values.get(name));
    if (asked && !errors.has(name)) {
      errors.set(name, messageOf(scope, entity, { about: name }));
    }
  }
  return { ...form, errors };
}
