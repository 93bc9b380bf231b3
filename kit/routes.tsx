import { type Context, Hono } from "hono";
import { HTTPException } from "hono/http-exception";
import type { FC } from "hono/jsx";
import type { Kysely } from "kysely";
import type { z } from "zod";
import { type FormAnswers, type FormState, fillIn, stateOf } from "./answers.ts";
import { Broken, brokenConditions, type Condition } from "./conditions.ts";
import { refusal } from "./database/in-use.ts";
import {
  type Chosen,
  checkTyped,
  chosenIn,
  type Form,
  type InputType,
  type Options,
  rightValues,
  typedValues,
  writtenValues,
} from "./forms.ts";
import { address, type Link, localAddress, recordId } from "./links.ts";
import { type ListPage, type ListRequest, listRequest } from "./lists.ts";
import { leaveNotice } from "./notices.ts";
import { DeletePage } from "./pages.tsx";
import type { Use } from "./records.ts";
import type { Rules } from "./rules.ts";

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
  uses(db: Kysely<Tables>, id: number): Promise<Use[]>;
  create(db: Kysely<Tables>, input: z.infer<Input>): Promise<number>;
  /** False when the record has another version by now. */
  update(db: Kysely<Tables>, id: number, version: number, input: z.infer<Input>): Promise<boolean>;
  remove(db: Kysely<Tables>, id: number): Promise<void>;
  /** Its table, and what has to hold for every record. */
  table: string;
  conditions?: readonly Condition[];
  /** How the form answers to what is typed in it. */
  answers?: FormAnswers<Values>;
  ListPage: FC<{ page: ListPage<Row> }>;
  DetailPage: FC<{ record: Record; relations: Relations }>;
  FormPage: FC<FormPageProps>;
}

/** The form that a request carries. */
async function sentForm(c: Context): Promise<FormData> {
  try {
    return await c.req.formData();
  } catch (error) {
    if (error instanceof HTTPException) throw error;
    throw new HTTPException(400, { cause: error });
  }
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
    conditions = [],
    answers = {},
    ListPage,
    DetailPage,
    FormPage,
  } = kind;
  const heading = one.charAt(0).toUpperCase() + one.slice(1);
  const headings = kind.many.charAt(0).toUpperCase() + kind.many.slice(1);

  const found = async (c: Context) => {
    const id = recordId(c.req.param("record") ?? "");
    return id === undefined ? undefined : kind.find(db, id);
  };

  /** What the form shows and needs, by what is typed in it and what is saved besides. */
  const state = (values: Form["values"], saved?: Record): Promise<FormState> =>
    stateOf(db, answers, { ...saved, ...rightValues(input, values) } as Partial<Values>);

  const emptyForm = async (values: Form["values"], saved?: Record): Promise<Form> => ({
    values,
    errors: new Map(),
    labels,
    options: await kind.options(db, chosenIn(values)),
    input,
    state: await state(values, saved),
    filled: saved ? [] : Object.keys(answers.blank ?? {}),
    ...((answers.shown || answers.needed) && {
      answersAt: `${path}/${saved?.id ?? "new"}/answers`,
    }),
  });

  /** What was typed; what the form didn't ask for stays as it is, or as a new record starts. */
  const typedIn = (data: FormData, saved?: Record): Form["values"] => {
    const values = typedValues(input, data);
    const others = writtenValues(input, saved ?? kind.defaults());
    for (const name of data.getAll("_unasked").map(String)) {
      if (!Object.hasOwn(answers.shown ?? {}, name)) continue;
      values.delete(name);
      const kept = others.get(name);
      if (kept) values.set(name, kept);
    }
    return values;
  };

  /** Checks and saves in one transaction. Answers with the record's number, or with what is wrong. */
  const save = async (
    values: Form["values"],
    saved: Record | undefined,
    version: number,
  ): Promise<{ id: number } | { errors: Map<string, string> } | { stale: true }> => {
    const checked = await checkTyped(input, values);
    if ("errors" in checked) return checked;
    try {
      return await db.transaction().execute(async (trx) => {
        const context = { db: trx, saved };
        const wrong = Object.entries((await rules.check?.(checked.value, context)) ?? {});
        if (wrong.length > 0) return { errors: new Map(wrong as [string, string][]) };
        const ready = (await rules.beforeSave?.(checked.value, context)) ?? checked.value;
        if (saved && !(await kind.update(trx, saved.id, version, ready))) return { stale: true };
        const id = saved ? saved.id : await kind.create(trx, ready);
        await rules.afterSave?.(id, context);
        const broken = await brokenConditions(trx, kind.table, id, conditions);
        if (broken.length > 0) throw new Broken(broken);
        return { id };
      });
    } catch (error) {
      if (error instanceof Broken) return { errors: error.errors() };
      return { errors: refusedFields(error) };
    }
  };

  /** A form with what is wrong in it; what is needed besides is said at once, whatever was refused first. */
  const withErrors = (form: Form, found: ReadonlyMap<string, string>): Form => {
    const errors = new Map(found);
    for (const [name, needed] of Object.entries(form.state.needed)) {
      const blank = !form.values.get(name)?.some((typed) => typed.trim() !== "");
      const sentence = conditions.find(({ about }) => about === name)?.sentence;
      if (needed && blank && sentence && !errors.has(name)) errors.set(name, sentence);
    }
    return { ...form, errors };
  };

  /** The fields that a refusal of the database is about; any other error goes on. */
  const refusedFields = (error: unknown): Map<string, string> => {
    const refused = refusal(error, Object.keys(input.shape));
    if (!refused) throw error;
    const checked = conditions.filter(({ check }) => check && check === refused.check);
    if (checked.length > 0) return new Broken(checked).errors();
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

  const showForm = (c: Context, props: FormPageProps, status: 200 | 409 | 422 = 200) => {
    c.status(status);
    return c.render(<FormPage {...props} />, { title: props.title });
  };

  const showDeletion = async (
    c: Context,
    record: Record,
    status: 200 | 409,
    partsInUse = false,
  ) => {
    const uses = await kind.uses(db, record.id);
    c.status(status);
    const page = (
      <DeletePage
        record={record}
        kind={heading}
        path={path}
        many={headings}
        uses={uses}
        partsInUse={partsInUse}
      />
    );
    return c.render(page, { title: `Delete ${record.displayTitle}` });
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
    const values = await fillIn(db, input, answers.starts, begun);
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
    const values = await fillIn(db, input, answers.blank, typedIn(data));
    const back = localAddress(data.get("_back") as string | null);
    const result = await save(values, undefined, 0);
    if ("id" in result) {
      const record = await kind.find(db, result.id);
      const here = record ? address(path, record) : path;
      leaveNotice(c, {
        text: `${heading} saved:`,
        link: { text: record?.displayTitle.slice(0, 200) ?? "", href: here },
      });
      if (data.get("_then") !== "another") return c.redirect(back ?? here, 303);
      const query = new URLSearchParams(new URL(c.req.url).search);
      return c.redirect(`${path}/new${query.size > 0 ? `?${query}` : ""}`, 303);
    }
    const form = withErrors(
      await emptyForm(values),
      "errors" in result ? result.errors : new Map(),
    );
    return showForm(c, { title: newTitle, form, version: 0, isNew: true, back }, 422);
  });

  routes.post("/:record/answers", async (c) => {
    const data = await sentForm(c);
    return c.json(await state(typedValues(input, data), await found(c)));
  });

  routes.get("/:record", async (c) => {
    const record = await found(c);
    if (!record) return c.notFound();
    const here = address(path, record);
    if (new URL(c.req.url).pathname !== here) return c.redirect(here, 302);
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
      form: await emptyForm(writtenValues(input, record), record),
      version: record.version,
      isNew: false,
      back: localAddress(c.req.query("_back")) ?? address(path, record),
    });
  });

  routes.post("/:record/edit", async (c) => {
    const record = await found(c);
    if (!record) return c.notFound();
    const data = await sentForm(c);
    const values = typedIn(data, record);
    const back = localAddress(data.get("_back") as string | null);
    const result = await save(values, record, Number(data.get("_version")));
    if ("id" in result) {
      const next = await kind.find(db, record.id);
      const here = next ? address(path, next) : path;
      leaveNotice(c, { text: `${heading} saved.` });
      return c.redirect(back && back !== address(path, record) ? back : here, 303);
    }
    const now = (await kind.find(db, record.id)) ?? record;
    const props = { title: `Edit ${record.displayTitle}`, isNew: false, back };
    const form = await emptyForm(values, record);
    if ("stale" in result) {
      const saved = writtenValues(input, now);
      return showForm(c, { ...props, form, version: now.version, saved }, 409);
    }
    const version = Number(data.get("_version"));
    return showForm(c, { ...props, form: withErrors(form, result.errors), version }, 422);
  });

  routes.get("/:record/delete", async (c) => {
    const record = await found(c);
    return record ? showDeletion(c, record, 200) : c.notFound();
  });

  routes.post("/:record/delete", async (c) => {
    const record = await found(c);
    if (!record) return c.notFound();
    const uses = await kind.uses(db, record.id);
    if (uses.some(({ goAlong }) => !goAlong)) return showDeletion(c, record, 409);
    try {
      await db.transaction().execute(async (trx) => {
        await rules.beforeDelete?.(record, { db: trx, saved: record });
        await kind.remove(trx, record.id);
      });
    } catch (error) {
      if (refusal(error)?.reason !== "reference") throw error;
      return showDeletion(c, record, 409, true);
    }
    leaveNotice(c, { text: `${heading} ${record.displayTitle.slice(0, 200)} deleted.` });
    return c.redirect(path, 303);
  });

  return routes;
}
