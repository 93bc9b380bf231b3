import { type Context, Hono } from "hono";
import type { FC } from "hono/jsx";
import type { Kysely } from "kysely";
import type { z } from "zod";
import { type ConditionalFields, type FormState, fillIn, stateOf } from "./conditional-fields.ts";
import { constraintViolation, troubleOf } from "./database/current-dialect.ts";
import { setFlash } from "./flash.ts";
import {
  type Chosen,
  checkTyped,
  chosenIn,
  type Form,
  type InputType,
  isBlank,
  isSameTyped,
  type Options,
  rightValues,
  typedValues,
  withUnchanged,
  writtenValues,
} from "./forms.ts";
import { address, isSameAddress, type Link, localAddress, recordId } from "./links.ts";
import { type ListPage, type ListRequest, listRequest } from "./lists.ts";
import { logError } from "./log.ts";
import { DeletePage, partsOf, type Refusing } from "./pages.tsx";
import type { ReferencingRecords } from "./records.ts";
import { brokenRowRules, errorsOf, type RowRule } from "./row-rules.ts";
import type { Rules } from "./rules.ts";
import { type SentForm, sentForm, sentText, sentVersion } from "./sent-form.ts";
import {
  newToken,
  type Outcome,
  type Submission,
  sentBefore,
  submissionOf,
  submitOnce,
} from "./submissions.ts";
import { endedTransaction } from "./transactions.ts";
import { circleErrors, circlesOf } from "./trees.ts";
import { troubles } from "./troubles.ts";

/** What every record has, whatever its kind. */
interface Saved extends Link {
  version: number;
}

/** What a form page gets. */
export interface FormPageProps {
  title: string;
  form: Form;
  version: number;
  isNew: boolean;
  back?: string | undefined;
  saved?: ReadonlyMap<string, readonly string[]> | undefined;
  /** The record was deleted in the meantime. */
  wasDeleted?: boolean;
  /** Where the form is sent; to its own address otherwise. */
  action?: string;
}

/** The queries and pages of one kind of record. */
export interface RecordKind<
  Tables,
  Input extends InputType,
  Row,
  Record extends Saved,
  Relations,
  Values,
> {
  path: string;
  /** Its names within a sentence: `queen line`, `queen lines`. */
  one: string;
  many: string;
  input: Input;
  labels: Readonly<{ [name: string]: string }>;
  defaults(): object;
  rules: Rules<Tables, Record, z.infer<Input>>;
  list(db: Kysely<Tables>, request: ListRequest): Promise<ListPage<Row>>;
  find(db: Kysely<Tables>, id: number): Promise<Record | undefined>;
  relations(db: Kysely<Tables>, id: number): Promise<Relations>;
  options(db: Kysely<Tables>, chosen: Chosen): Promise<Options>;
  referencedBy(db: Kysely<Tables>, id: number): Promise<ReferencingRecords[]>;
  create(db: Kysely<Tables>, input: z.infer<Input>): Promise<number>;
  /** False when the record has another version by now. */
  update(db: Kysely<Tables>, id: number, version: number, input: z.infer<Input>): Promise<boolean>;
  /** False when the record has another version by now. */
  remove(db: Kysely<Tables>, id: number, version: number): Promise<boolean>;
  /** Its table, and what has to hold for every record. */
  table: string;
  rowRules?: readonly RowRule[];
  /** The columns in which a record names the one above it. */
  trees?: readonly string[];
  /** Which fields the form shows, needs or fills in, by what is typed in it. */
  conditionalFields?: ConditionalFields<Values>;
  ListPage: FC<{ page: ListPage<Row> }>;
  DetailPage: FC<{ record: Record; relations: Relations }>;
  FormPage: FC<FormPageProps>;
}

/** The addresses of one kind of record: list, new, detail, edit, delete. */
export function routesFor<
  Tables,
  Input extends InputType,
  Row,
  Record extends Saved,
  Relations,
  Values,
>(db: Kysely<Tables>, kind: RecordKind<Tables, Input, Row, Record, Relations, Values>): Hono {
  const {
    path,
    one,
    input,
    labels,
    rules,
    rowRules = [],
    conditionalFields = {},
    ListPage,
    DetailPage,
    FormPage,
  } = kind;
  const listed = encodeURI(path);
  const heading = one.charAt(0).toUpperCase() + one.slice(1);
  const headings = kind.many.charAt(0).toUpperCase() + kind.many.slice(1);

  const found = async (c: Context) => {
    const id = recordId(c.req.param("record") ?? "");
    return id === undefined ? undefined : kind.find(db, id);
  };

  /** What the form shows and needs, by what is typed in it and what is saved besides. */
  const state = (values: Form["values"], saved?: Record): Promise<FormState> =>
    stateOf(db, conditionalFields, { ...saved, ...rightValues(input, values) } as Partial<Values>);

  const emptyForm = async (
    values: Form["values"],
    { saved, token = newToken() }: { saved?: Record | undefined; token?: string } = {},
  ): Promise<Form> => ({
    values,
    errors: new Map(),
    labels,
    options: await kind.options(db, chosenIn(values)),
    input,
    token,
    state: await state(values, saved),
    filled: saved ? [] : Object.keys(conditionalFields.blank ?? {}),
    ...((conditionalFields.shown || conditionalFields.needed) && {
      stateAt: `${listed}/${saved?.id ?? "new"}/form-state`,
    }),
  });

  /**
   * What was typed. What the form doesn't ask for, as things are, stays as it is, or as a new record starts;
   * what somebody sends for it all the same is an error.
   */
  const typedIn = async (
    data: SentForm,
    saved?: Record,
  ): Promise<{ values: Form["values"]; unasked: Map<string, string> }> => {
    const values = typedValues(input, data);
    const unasked = new Map<string, string>();
    if (!conditionalFields.shown) return { values, unasked };
    const others = writtenValues(input, saved ?? kind.defaults());
    const keep = (name: string) => {
      values.delete(name);
      const kept = others.get(name);
      if (kept) values.set(name, kept);
    };
    for (const name of data.getAll("_unasked").map(String)) {
      if (Object.hasOwn(conditionalFields.shown, name)) keep(name);
    }
    // What is reverted may have been what another field is shown for.
    for (let round = 0; round < 3; round++) {
      const { shown } = await state(values, saved);
      const hidden = Object.keys(shown).filter(
        (name) =>
          !shown[name] &&
          !isBlank(values.get(name)) &&
          !isSameTyped(values.get(name), others.get(name)),
      );
      for (const name of hidden) {
        unasked.set(name, "This isn’t asked for as things stand, so it stays as it was.");
        keep(name);
      }
      if (hidden.length === 0) break;
    }
    return { values, unasked };
  };

  /** Checks and saves in one transaction. Returns the result, or what is wrong. */
  const save = async (
    submission: Submission,
    { values, unasked }: Awaited<ReturnType<typeof typedIn>>,
    change: Change<Record>,
  ): Promise<Saving> => {
    if (unasked.size > 0) return { errors: unasked };
    const checked = await checkTyped(input, values);
    if ("errors" in checked) return checked;
    const { saved, version, goTo } = change;
    const typed = saved ? withUnchanged(input, checked.value, values, saved) : checked.value;
    try {
      const result = await submitOnce<Tables, "stale">(db, submission, async (trx, refuse) => {
        const context = { db: trx, saved };
        const wrong = Object.entries((await rules.check?.(typed, context)) ?? {});
        if (wrong.length > 0) throw new WrongFields(new Map(wrong as [string, string][]));
        const ready = (await rules.beforeSave?.(typed, context)) ?? typed;
        if (saved && !(await kind.update(trx, saved.id, version, ready))) refuse("stale");
        const id = saved ? saved.id : await kind.create(trx, ready);
        await rules.afterSave?.(id, context);
        const broken = await brokenRowRules(trx, kind.table, id, rowRules);
        if (broken.length > 0) throw new WrongFields(errorsOf(broken));
        const circles = await circlesOf(trx, kind.table, id, kind.trees);
        if (circles.length > 0) throw new WrongFields(circleErrors(circles, one));
        const record = await kind.find(trx, id);
        if (!record) throw new Error(`The ${one} that was saved is not there.`);
        return goTo(record);
      });
      if ("refused" in result) return { stale: true };
      return result;
    } catch (error) {
      if (error instanceof WrongFields) return { errors: error.errors };
      const trouble = troubleOf(error);
      if (trouble && endedTransaction(error)) {
        logError(error, `saving ${one}`);
        return { errors: new Map([["", troubles[trouble]]]), status: 503 };
      }
      return { errors: refusedFields(error) };
    }
  };

  /** A form with what is wrong in it; what is needed besides is said at once, whatever was refused first. */
  const withErrors = (form: Form, found: ReadonlyMap<string, string>): Form => {
    const errors = new Map(found);
    for (const [name, needed] of Object.entries(form.state.needed)) {
      const blank = !form.values.get(name)?.some((typed) => typed.trim() !== "");
      const sentence = rowRules.find(({ about }) => about === name)?.sentence;
      if (needed && blank && sentence && !errors.has(name)) errors.set(name, sentence);
    }
    return { ...form, errors };
  };

  /** The fields that a refusal of the database is about; any other error is thrown. */
  const refusedFields = (error: unknown): Map<string, string> => {
    const refused = constraintViolation(error, Object.keys(input.shape));
    if (!refused) throw error;
    const checked = rowRules.filter(({ check }) => check && check === refused.check);
    if (checked.length > 0) return errorsOf(checked);
    const names = refused.columns.filter((column) => Object.hasOwn(input.shape, column));
    if (refused.reason === "unique") {
      const words = names.map((name) => labels[name]).join(" and ");
      const message =
        names.length > 1
          ? `Another ${one} has the same ${words}.`
          : `Another ${one} has this already.`;
      return new Map([[names[0] ?? "", message]]);
    }
    return new Map([
      [
        "",
        refused.reason === "reference"
          ? "A record that was chosen here no longer exists."
          : "The database refused these values.",
      ],
    ]);
  };

  const showForm = (c: Context, props: FormPageProps, status: FormStatus = 200) => {
    c.status(status);
    return c.render(<FormPage {...props} />, { title: props.title });
  };

  const showDeletion = async (
    c: Context,
    record: Record,
    status: 200 | 409 | 503,
    why?: Refusing,
  ) => {
    const references = await kind.referencedBy(db, record.id);
    c.status(status);
    const page = (
      <DeletePage
        record={record}
        kind={heading}
        path={listed}
        many={headings}
        references={references}
        token={newToken()}
        why={why}
      />
    );
    return c.render(page, { title: `Delete ${record.displayTitle}` });
  };

  /** Redirects to the page after a form, which tells the result. */
  const leave = (c: Context, { token, outcome }: Extract<Saving, { token: string }>) => {
    setFlash(c, token);
    return c.redirect(outcome.href, 303);
  };

  const newTitle = `New ${one}`;
  const routes = new Hono();

  routes.get("/", async (c) => {
    const page = await kind.list(db, listRequest(new URL(c.req.url).searchParams));
    return c.render(<ListPage page={page} />, { title: headings });
  });

  routes.get("/new", async (c) => {
    const query = new URL(c.req.url).searchParams;
    const begun = new Map([...writtenValues(input, kind.defaults()), ...typedValues(input, query)]);
    const values = await fillIn(db, input, conditionalFields.starts, begun);
    const back = localAddress(query.get("_back"));
    return showForm(c, {
      title: newTitle,
      form: await emptyForm(values),
      version: 0,
      isNew: true,
      back,
    });
  });

  routes.post("/new", async (c) => {
    const data = await sentForm(c);
    const submission = submissionOf(c.req.path, data);
    const typed = await typedIn(data);
    const values = await fillIn(db, input, conditionalFields.blank, typed.values);
    const back = localAddress(sentText(data, "_back"));
    const next = sentText(data, "_then") === "another";
    const { search } = new URL(c.req.url);
    const goTo = (record: Record): Outcome => {
      const here = address(path, record);
      return {
        href: next ? `${listed}/new${search}` : (back ?? here),
        text: `${heading} saved:`,
        link: { text: record.displayTitle.slice(0, 200), href: here },
      };
    };
    const result = await save(
      submission,
      { ...typed, values },
      { saved: undefined, version: 0, goTo },
    );
    if ("token" in result) return leave(c, result);
    const empty = await emptyForm(values, submission);
    const form = withErrors(empty, "errors" in result ? result.errors : new Map());
    const status = ("status" in result && result.status) || 422;
    return showForm(c, { title: newTitle, form, version: 0, isNew: true, back }, status);
  });

  routes.post("/:record/form-state", async (c) => {
    const data = await sentForm(c);
    return c.json(await state(typedValues(input, data), await found(c)));
  });

  routes.get("/:record", async (c) => {
    const record = await found(c);
    if (!record) return c.notFound();
    const here = address(path, record);
    if (!isSameAddress(new URL(c.req.url).pathname, here)) return c.redirect(here, 302);
    const relations = await kind.relations(db, record.id);
    return c.render(<DetailPage record={record} relations={relations} />, {
      title: record.displayTitle,
    });
  });

  routes.get("/:record/edit", async (c) => {
    const record = await found(c);
    if (!record) return c.notFound();
    return showForm(c, {
      title: `Edit ${record.displayTitle}`,
      form: await emptyForm(writtenValues(input, record), { saved: record }),
      version: record.version,
      isNew: false,
      back: localAddress(c.req.query("_back")) ?? address(path, record),
    });
  });

  routes.post("/:record/edit", async (c) => {
    const data = await sentForm(c);
    const submission = submissionOf(c.req.path, data);
    const record = await found(c);
    if (!record) return afterDeletion(c, data, submission);
    const { token } = submission;
    const back = localAddress(sentText(data, "_back"));
    const typed = await typedIn(data, record);
    const version = sentVersion(data);
    const before = address(path, record);
    const goTo = (now: Record): Outcome => {
      const here = address(path, now);
      return { href: back && back !== before ? back : here, text: `${heading} saved.` };
    };
    const result: Saving =
      version === undefined
        ? { stale: true }
        : await save(submission, typed, { saved: record, version, goTo });
    if ("token" in result) return leave(c, result);
    const props = { title: `Edit ${record.displayTitle}`, isNew: false, back };
    const form = await emptyForm(typed.values, { saved: record, token });
    if ("stale" in result) {
      const now = await kind.find(db, record.id);
      if (!now) return afterDeletion(c, data, submission);
      const saved = writtenValues(input, now);
      return showForm(c, { ...props, form, version: now.version, saved }, 409);
    }
    const status = result.status ?? 422;
    const shown = withErrors(form, result.errors);
    return showForm(c, { ...props, form: shown, version: version ?? record.version }, status);
  });

  /** What was typed for a record that is gone: it can be saved as a new one. */
  const afterDeletion = async (c: Context, data: SentForm, submission: Submission) => {
    const before = await sentBefore(db, submission);
    if (before) return leave(c, { token: submission.token, outcome: before });
    const form = await emptyForm(typedValues(input, data));
    return showForm(
      c,
      { title: newTitle, form, version: 0, isNew: true, wasDeleted: true, action: `${listed}/new` },
      409,
    );
  };

  routes.get("/:record/delete", async (c) => {
    const record = await found(c);
    return record ? showDeletion(c, record, 200) : c.notFound();
  });

  routes.post("/:record/delete", async (c) => {
    const data = await sentForm(c);
    const submission = submissionOf(c.req.path, data);
    const record = await found(c);
    if (!record) {
      const before = await sentBefore(db, submission);
      return before ? leave(c, { token: submission.token, outcome: before }) : c.notFound();
    }
    const version = sentVersion(data);
    try {
      const result = await submitOnce<Tables, Refusing>(db, submission, async (trx, refuse) => {
        const references = await kind.referencedBy(trx, record.id);
        if (references.some(({ cascades }) => !cascades)) refuse("in use");
        // Parts that were added since would be deleted unseen.
        if (version === undefined || sentText(data, "_parts") !== partsOf(references))
          refuse("changed");
        await rules.beforeDelete?.(record, { db: trx, saved: record });
        if (!(await kind.remove(trx, record.id, version ?? 0))) refuse("changed");
        const title = record.displayTitle.slice(0, 200);
        return { href: listed, text: `${heading} ${title} deleted.` };
      });
      if ("token" in result) return leave(c, result);
      const now = await kind.find(db, record.id);
      return now ? showDeletion(c, now, 409, result.refused) : c.notFound();
    } catch (error) {
      if (constraintViolation(error)?.reason === "reference")
        return showDeletion(c, record, 409, "parts in use");
      const trouble = troubleOf(error);
      if (!trouble || !endedTransaction(error)) throw error;
      logError(error, `deleting ${one}`);
      return showDeletion(c, record, 503, trouble);
    }
  });

  return routes;
}

type FormStatus = 200 | 409 | 422 | 503;

/** What is saved over which version of which record, and the next page. */
interface Change<Record> {
  saved: Record | undefined;
  version: number;
  goTo(record: Record): Outcome;
}

/** The result of a form: saved, or why not. */
type Saving =
  | { token: string; outcome: Outcome }
  | { errors: Map<string, string>; status?: 503 }
  | { stale: true };

/** Ends a save with what is wrong, by input. */
class WrongFields extends Error {
  constructor(readonly errors: Map<string, string>) {
    super([...errors.values()].join(" "));
  }
}
