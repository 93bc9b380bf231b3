import type { Context } from "hono";
import type { FC } from "hono/jsx";
import { usageOf } from "../../access/plans.ts";
import { fieldsKept, requireOn } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, Row } from "../../entity/entity.ts";
import { address, isSameAddress, localAddress } from "../../entity/links.ts";
import type { PartsOfForm } from "../../entity/part-rows.ts";
import {
  isBlankTyped,
  isSameTyped,
  rightValues,
  startValues,
  type Typed,
  typedValues,
  writtenValues,
} from "../../entity/typed.ts";
import { sentAddress } from "../../http/embedded-page.ts";
import {
  type SentForm,
  sentForm,
  sentSubmission,
  sentText,
  sentVersion,
} from "../../http/sent-form.ts";
import { stateOf } from "../../store/conditional-fields.ts";
import { filledIn } from "../../store/drafts.ts";
import { logError } from "../../store/log.ts";
import { offersOf } from "../../store/offers.ts";
import { lookupsOf } from "../../store/options.ts";
import { noteEditing, noteLeft } from "../../store/presence.ts";
import { messageOf } from "../../store/row-rules.ts";
import { findAnyRow } from "../../store/select.ts";
import { unseenReferences } from "../../store/sent-values.ts";
import { shownValues } from "../../store/shown-values.ts";
import { newToken, type Outcome, type Submission, sentBefore } from "../../store/submissions.ts";
import { chosenInput, type Form, type FormProps, labelOf } from "../../ui/form.ts";
import { showPage } from "../../ui/layout.tsx";
import { namedInput } from "../../ui/lookup-input.tsx";
import { seenErrors } from "../../ui/seen-errors.ts";
import { askedRecord, type Feature, recordPart } from "../feature.ts";
import { leave } from "../leave.ts";
import { withCopies } from "./copied-files.ts";
import { joinChanges, readBeginning } from "./joining.ts";
import { partsInForm, type RowsSent, sentRows } from "./part-forms.ts";
import { type Sent, saveSent, whyNotSaved } from "./save-sent.ts";
import { bytesOfForm, hasFiles, type SentRecord, sentRecord, shownFiles } from "./sent-record.ts";

/**
 * The forms of an entity: for a new record, and for one that is there. `parts` are the records that belong to it and are
 * typed in rows of its form: what is wrong in one of them, or in the rest of the form, keeps all of it from being saved.
 */
export function form<Known extends Entity>(
  known: Known,
  Page: FC<FormProps>,
  parts: PartsOfForm = {},
): Feature {
  const entity = known as unknown as Entity;
  const { path } = entity;
  const add = { action: "add", entity } as const;
  const change = { action: "change", entity } as const;
  const bytes = bytesOfForm(entity);
  const show: Showing = async (c, form, { status = 200, rows } = {}) => {
    const whole = { ...form, parts: await partsInForm(form.scope, parts, form, rows) };
    return showPage(c, form.scope, <Page form={whole} />, { title: form.title, status });
  };
  const served: Served = { entity, parts, show };
  const state = async (c: Context, scope: Scope) => {
    const typed = typedValues(entity, await sentForm(c));
    const saved = await askedRecord(c, scope, entity);
    const kept = await keptFrom(scope, entity, saved);
    return c.json(await formState(scope, entity, typed, { saved, kept }));
  };
  const offers = async (c: Context, scope: Scope) => {
    const data = await sentForm(c);
    const values = rightValues(entity, typedValues(entity, data), scope);
    const [name, words] = [sentText(data, "_field"), sentText(data, "_words")];
    return c.json(await offersOf(scope, entity, name, words, values));
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
      {
        on: "record",
        needs: "add",
        path: "/duplicate",
        look: "secondary",
        text: (messages) => messages.duplicate,
      },
    ],
    routes: [
      {
        method: "GET",
        path: `${path}/new`,
        needs: add,
        answer: (c, scope) => beginNew(c, scope, served),
      },
      {
        method: "POST",
        path: `${path}/new`,
        needs: add,
        bytes,
        answer: (c, scope) => saveNew(c, scope, served),
      },
      { method: "POST", path: `${path}/new/form-state`, needs: add, answer: state },
      { method: "POST", path: `${path}/new/offers`, needs: add, answer: offers },
      { method: "POST", path: `${path}/offers`, needs: change, answer: offers },
      { method: "POST", path: `${path}/${recordPart}/offers`, needs: change, answer: offers },
      { method: "POST", path: `${path}/${recordPart}/form-state`, needs: change, answer: state },
      {
        method: "GET",
        path: `${path}/${recordPart}/duplicate`,
        needs: add,
        answer: (c, scope) => beginDuplicate(c, scope, served),
      },
      {
        method: "GET",
        path: `${path}/${recordPart}/edit`,
        needs: change,
        answer: (c, scope) => beginEdit(c, scope, served),
      },
      {
        method: "POST",
        path: `${path}/${recordPart}/editing`,
        needs: change,
        answer: (c, scope) => editing(c, scope, entity),
      },
      {
        method: "POST",
        path: `${path}/${recordPart}/edit`,
        needs: change,
        bytes,
        answer: (c, scope) => saveEdit(c, scope, served),
      },
    ],
  };
}

/** Shows a form: with the rows that were sent, or those that are saved. */
type Showing = (
  c: Context,
  form: Form,
  how?: { status?: number; rows?: RowsSent | undefined },
) => Promise<Response>;

/** What a form is of, and how it is shown. */
interface Served {
  entity: Entity;
  parts: PartsOfForm;
  show: Showing;
}

async function beginNew(c: Context, scope: Scope, { entity, show }: Served) {
  const query = new URL(c.req.url).searchParams;
  const starts = writtenValues(entity, startValues(entity.inputs, scope), scope);
  const asked = typedValues(entity, query);
  // Addresses have days as `2026-05-03`; forms have them as the person writes them.
  const right = writtenValues(entity, rightValues(entity, asked, scope), scope);
  const given = [...asked].map(([name, typed]) => [name, right.get(name) ?? typed] as const);
  const begun = new Map([...starts, ...given]);
  const values = await filledIn(scope, entity, "starts", begun);
  const form = await newForm(scope, entity, values);
  const isForLookup = query.get("_for") === "lookup";
  return show(c, { ...form, isForLookup, back: localAddress(query.get("_back")) });
}

/** A form for a new record that begins with what another one has. */
async function beginDuplicate(c: Context, scope: Scope, { entity, show }: Served) {
  const record = await askedRecord(c, scope, entity);
  if (!record || !scope.may("see", entity)) return c.notFound();
  const values = shownValues(scope, entity, record);
  const form = await newForm(scope, entity, values);
  const files = await shownFiles(scope, entity, values, record);
  return show(c, { ...form, files, copyOf: record, action: `${encodeURI(entity.path)}/new` });
}

async function saveNew(c: Context, scope: Scope, served: Served) {
  const { entity, parts, show } = served;
  const kept = await keptFrom(scope, entity);
  const record = await withCopies(scope, entity, await sentRecord(c, scope, entity, kept), kept);
  const { data } = record;
  const submission = sentSubmission(c, data, record.digests);
  const sent = await typedIn(scope, entity, record);
  const kinds = await sentRows(scope, parts, data);
  const back = localAddress(sentText(data, "_back"));
  const next = sentText(data, "_then") === "another";
  const isForLookup = sentText(data, "_for") === "lookup";
  const formWith = async (values: Typed) => ({
    ...(await newForm(scope, entity, values, submission.token)),
    ...sentAs(data, record),
    isForLookup,
    back,
  });
  const more = sentText(data, "_row");
  if (more) return show(c, await formWith(sent.values), { rows: { kinds, more } });
  const values = await filledIn(scope, entity, "blank", sent.values);
  const { search } = new URL(c.req.url);
  const goTo = (row: Row): Outcome => {
    if (scope.embedded) {
      return { href: sentAddress(scope.embedded), text: scope.messages.embedded.thanks };
    }
    const here = address(row);
    // Who adds what they may not see goes on with another one.
    if (!scope.may("see", entity)) {
      const again = `${encodeURI(entity.path)}/new${search}`;
      return { href: again, text: scope.messages.saved(scope.namesOf(entity).heading) };
    }
    if (isForLookup) {
      return {
        href: `${here}?_added=yes`,
        text: scope.messages.saved(row.displayTitle.slice(0, 200)),
      };
    }
    return {
      href: next ? `${encodeURI(entity.path)}/new${search}` : (back ?? here),
      text: scope.messages.savedNext(scope.namesOf(entity).heading),
      link: { text: row.displayTitle.slice(0, 200), href: here },
    };
  };
  const result = await saveSent(scope, entity, { ...sent, values, kinds }, { submission, goTo });
  if ("token" in result) {
    // The page that thanks is one of its own: the site around it may keep cookies away.
    return scope.embedded ? c.redirect(result.outcome.href, 303) : leave(c, result);
  }
  const { errors, status = 422, rows: refused } = whyNotSaved(result);
  const rows = { kinds, refused };
  return show(c, withErrors(await formWith(values), errors), { status, rows });
}

async function beginEdit(c: Context, scope: Scope, { entity, show }: Served) {
  const record = await askedRecord(c, scope, entity);
  if (!record) return c.notFound();
  await requireOn(scope, "change", entity, record.id);
  const form = await editForm(scope, entity, writtenValues(entity, record, scope), record);
  // A form can be filled in while nobody can be told of it.
  const others = await noteEditing(scope, entity, record.id).catch((error) => {
    logError(error, "noting who has a form open");
    return [];
  });
  return show(c, { ...form, others, back: localAddress(c.req.query("_back")) ?? address(record) });
}

/** Notes who has the form open, or left it; answers with the others. */
async function editing(c: Context, scope: Scope, entity: Entity) {
  const record = await askedRecord(c, scope, entity);
  if (!record) return c.notFound();
  await requireOn(scope, "change", entity, record.id);
  if (c.req.query("left") === "yes") {
    await noteLeft(scope, entity, record.id);
    return c.json({ said: "" });
  }
  const others = await noteEditing(scope, entity, record.id);
  return c.json({ said: others.length > 0 ? scope.messages.alsoEditing(others) : "" });
}

async function saveEdit(c: Context, scope: Scope, served: Served) {
  const { entity, parts, show } = served;
  const row = await askedRecord(c, scope, entity);
  const record = await sentRecord(c, scope, entity, await keptFrom(scope, entity, row));
  const { data } = record;
  const submission = sentSubmission(c, data, record.digests);
  const kinds = await sentRows(scope, parts, data);
  if (!row) return afterDeletion(c, scope, served, { data, submission, kinds });
  const back = localAddress(sentText(data, "_back"));
  const sent = await typedIn(scope, entity, record, row);
  const before = address(row);
  const goTo = (theirs: readonly string[]) => (now: Row) => {
    const { saved, joinedWith } = scope.messages;
    const here = back && !isSameAddress(back, before) ? back : address(now);
    const done = saved(scope.namesOf(entity).heading);
    const labels = theirs.map((name) => labelOf({ scope, entity }, name));
    return { href: here, text: labels.length > 0 ? `${done} ${joinedWith(labels)}` : done };
  };
  const fixed = await keptFrom(scope, entity, row);
  let was = readBeginning(sentText(data, "_was")) ?? new Map<string, string[]>();
  let version = sentVersion(data) ?? 0;
  let values = chosenOf(data, entity, sent.values, was);
  let theirs: readonly string[] = [];
  const shown = async (typed: Typed): Promise<Form> => ({
    ...(await editForm(scope, entity, typed, row, submission.token)),
    ...sentAs(data, record),
    began: was,
    version,
    back,
  });
  const more = sentText(data, "_row");
  if (more) return show(c, await shown(values), { rows: { kinds, more } });
  for (let turn = 0; ; turn++) {
    const whole = { ...sent, values, kinds, saved: { row, version } };
    const result = await saveSent(scope, entity, whole, { submission, goTo: goTo(theirs) });
    if ("token" in result) {
      await noteLeft(scope, entity, row.id).catch((error) => logError(error, "noting who left"));
      return leave(c, result);
    }
    if (!("stale" in result)) {
      const { errors, status = 422, rows: refused } = whyNotSaved(result);
      const rows = { kinds, refused };
      return show(c, withErrors(await shown(values), errors), { status, rows });
    }
    const now = await findAnyRow(scope, entity, row.id);
    if (!now) return afterDeletion(c, scope, served, { data, submission, kinds });
    const saved = shownValues(scope, entity, now);
    const joined = joinChanges(scope, entity, { was, typed: values, saved }, fixed);
    theirs = [...new Set([...theirs, ...joined.theirs])];
    [values, was, version] = [joined.values, saved, now.version];
    // Whoever saves in between again and again has to be waited for.
    if (joined.conflicts.length > 0 || turn === 3) {
      const conflict = { saved, fields: joined.conflicts, joined: theirs };
      return show(c, { ...(await shown(values)), conflict }, { status: 409, rows: { kinds } });
    }
  }
}

/** What was typed, with what somebody else saved where the person chose that. */
function chosenOf(data: SentForm, { inputs }: Entity, typed: Typed, was: Typed): Typed {
  const values = new Map(typed);
  for (const name of Object.keys(inputs)) {
    if (data.get(chosenInput(name)) !== "theirs") continue;
    const other = was.get(name);
    if (other) values.set(name, other);
    else values.delete(name);
  }
  return values;
}

/** Titles that were typed into lookups and belong to no record, so that they are in the form again. */
function sentAs(data: SentForm, { wrong }: SentRecord): Pick<Form, "named"> {
  const named = [...wrong.keys()].map((name) => [name, sentText(data, namedInput(name))] as const);
  return { named: new Map(named.filter(([, text]) => text !== "")) };
}

/** What was typed for a record that is gone: it can be saved as a new one. */
async function afterDeletion(
  c: Context,
  scope: Scope,
  { entity, show }: Served,
  { data, submission, kinds }: { data: SentForm; submission: Submission; kinds: RowsSent["kinds"] },
) {
  const before = await sentBefore(scope.db, submission);
  if (before) return leave(c, { token: submission.token, outcome: before });
  const form = await newForm(scope, entity, typedValues(entity, data));
  const asNew = { ...form, wasDeleted: true, action: `${encodeURI(entity.path)}/new` };
  return show(c, asNew, { status: 409, rows: { kinds } });
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
  const right = rightValues(entity, values, scope);
  const path = `${encodeURI(entity.path)}/${saved?.id ?? "new"}`;
  return {
    scope,
    entity,
    title,
    values,
    errors: new Map(),
    ...(await lookupsOf(scope, entity, values, right)),
    offersAt: `${path}/offers`,
    hasFiles: hasFiles(entity),
    files: await shownFiles(scope, entity, values, saved),
    token,
    state: await formState(scope, entity, values, { saved, kept: fixed }),
    fixed,
    record: saved,
    filled: saved ? [] : Object.keys(blank),
    kept: saved ? unseenReferences(entity, saved) : [],
    ...((shown || needed) && { stateAt: `${path}/form-state` }),
    version: saved?.version ?? 0,
    ...(saved && { began: shownValues(scope, entity, saved) }),
    isNew: !saved,
  };
}

/**
 * What was typed. What the form doesn't ask for, as things are, stays as it is, or as a new record starts;
 * what somebody sends for it all the same is an error.
 */
async function typedIn(
  scope: Scope,
  entity: Entity,
  { data, wrong: refused }: SentRecord,
  saved?: Row,
): Promise<Sent> {
  const values = new Map(typedValues(entity, data));
  const { shown: conditions } = entity.conditionalFields;
  if (!conditions) return { values, refused };
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
      refused.set(name, scope.messages.notAsked);
      keep(name);
    }
    if (hidden.length === 0) break;
  }
  return { values, refused };
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
