import type { Child } from "hono/jsx";
import type { Trouble } from "./database/database.ts";
import { formatCount, formatNumber } from "./formats.ts";
import { differences, type Form } from "./forms.ts";
import { address, type Link } from "./links.ts";
import type { ListPage } from "./lists.ts";
import { TableFrame } from "./record-tables.tsx";
import type { ReferencingRecords } from "./records.ts";
import { troubles } from "./troubles.ts";

/** The frame of a record's page: its title, what can be done with it, its sections. */
export function RecordFrame({
  kind,
  path,
  many,
  record,
  children,
}: {
  /** What it is: `Hive`. */
  kind: string;
  path: string;
  /** What its list is called: `Hives`. */
  many: string;
  record: Link;
  children?: Child;
}) {
  const here = address(path, record);
  return (
    <>
      <Trail path={path} many={many} />
      <div class="heading">
        <h1>
          <span class="kind">{kind}</span> {record.displayTitle}
        </h1>
        <div class="actions">
          <a class="btn btn-primary" href={`${here}/edit`}>
            Edit
          </a>
          <a class="btn btn-outline-danger" href={`${here}/delete`}>
            Delete
          </a>
        </div>
      </div>
      {children}
    </>
  );
}

/** Values that belong together, under a heading. */
export function Facts({ title, children }: { title?: string; children?: Child }) {
  return (
    <section class="sheet">
      {title && <h2>{title}</h2>}
      <dl class="facts">{children}</dl>
    </section>
  );
}

/** One value and its label; a dash where there is none. */
export function Fact({ label, children }: { label: string; children?: Child }) {
  return (
    <div>
      <dt>{label}</dt>
      <dd>{children}</dd>
    </div>
  );
}

/** Text of several lines, as it was typed. */
export function Lines({ text }: { text: string | null }) {
  return text === null ? null : <div class="lines">{text}</div>;
}

/** Records of another kind that belong to the one on the page. */
export function Related({
  title,
  one,
  path,
  page,
  field,
  record,
  back,
  single = false,
  children,
}: {
  title: string;
  one: string;
  path: string;
  /** The first of them. */
  page: ListPage<unknown>;
  /** The field in which they have the record. */
  field: string;
  record: Link;
  back: string;
  /** There can be one at most. */
  single?: boolean;
  children?: Child;
}) {
  const add = new URLSearchParams({ [field]: String(record.id), _back: back });
  return (
    <section class="related">
      <div class="heading">
        <h2>
          {title} {!single && <span class="tally">{page.total}</span>}
        </h2>
        {!(single && page.total > 0) && (
          <a class="btn btn-outline-primary btn-sm" href={`${path}/new?${add}`}>
            New {one}
          </a>
        )}
      </div>
      {page.total === 0 ? (
        <p class="text-secondary">None yet.</p>
      ) : (
        <TableFrame label={title}>{children}</TableFrame>
      )}
      {page.pages > 1 && (
        <p class="mt-2">
          <a href={`${path}?${field}=${record.id}`}>Show all {page.total}</a>
        </p>
      )}
    </section>
  );
}

/** The frame of a form: what is wrong in it, its sections, its buttons. */
export function FormFrame({
  title,
  path,
  many,
  form,
  version,
  back,
  saved,
  isNew,
  wasDeleted = false,
  action,
  children,
}: {
  title: string;
  path: string;
  many: string;
  form: Form;
  /** The version that the person saw; a save that finds another one is refused. */
  version: number;
  /** Where to go after the save. */
  back?: string | undefined;
  /** What somebody else saved in the meantime. */
  saved?: ReadonlyMap<string, readonly string[]> | undefined;
  isNew: boolean;
  /** Somebody else deleted the record in the meantime. */
  wasDeleted?: boolean;
  /** Where the form is sent; to its own address otherwise. */
  action?: string;
  children?: Child;
}) {
  return (
    <>
      <Trail path={path} many={many} />
      <h1>{title}</h1>
      {wasDeleted && (
        <div class="alert alert-warning" role="alert">
          <strong>Not saved: somebody else deleted this record while you were editing it.</strong>{" "}
          What you typed is below. Saving it makes a new record; parts of the old one are gone.
        </div>
      )}
      {form.errors.size > 0 && <ErrorSummary form={form} />}
      {saved && <Conflict form={form} saved={saved} />}
      <form
        method="post"
        action={action}
        class="record-form"
        data-state={form.stateAt}
        novalidate={form.errors.size > 0 || undefined}
      >
        <input type="hidden" name="_version" value={version} />
        <input type="hidden" name="_token" value={form.token} />
        {back && <input type="hidden" name="_back" value={back} />}
        {children}
        <div class="buttons">
          <button class="btn btn-primary" type="submit">
            Save
          </button>
          {isNew && (
            <button class="btn btn-outline-primary" type="submit" name="_then" value="another">
              Save and start the next
            </button>
          )}
          <a class="btn btn-link" href={back ?? path}>
            Cancel
          </a>
        </div>
      </form>
    </>
  );
}

function ErrorSummary({ form }: { form: Form }) {
  const isField = ([name]: readonly [string, string]) => Object.hasOwn(form.input.shape, name);
  const fields = [...form.errors].filter(isField);
  const others = [...form.errors].filter((error) => !isField(error));
  return (
    <div class="alert alert-danger" role="alert" tabindex={-1} id="errors">
      <p class={fields.length > 0 ? "mb-1" : "mb-0"}>
        <strong>Not saved.</strong> {others.map(([, message]) => `${message} `)}
        {fields.length > 0 &&
          `${formatCount(fields.length, "field needs", "fields need")} another look:`}
      </p>
      {fields.length > 0 && (
        <ul class="mb-0">
          {fields.map(([name, message]) => (
            <li>
              <a href={`#field-${name}`}>
                {form.labels[name]}: {message}
              </a>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

function Conflict({ form, saved }: { form: Form; saved: ReadonlyMap<string, readonly string[]> }) {
  const different = differences(form, saved);
  return (
    <div class="alert alert-warning" role="alert">
      <p>
        <strong>Not saved: somebody else saved this record while you were editing it.</strong>{" "}
        {different.length > 0
          ? "Below is your version. Saving again replaces theirs where the two differ:"
          : "Both of you typed the same, so there is nothing left to save."}
      </p>
      {different.length > 0 && (
        <table class="table table-sm mb-0">
          <thead>
            <tr>
              <th scope="col">Field</th>
              <th scope="col">Saved now</th>
              <th scope="col">Yours</th>
            </tr>
          </thead>
          <tbody>
            {different.map(({ name, saved: theirs, typed }) => (
              <tr>
                <th scope="row">{form.labels[name]}</th>
                <td class="lines">{theirs || "—"}</td>
                <td class="lines">{typed || "—"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

/** Why a record wasn't deleted. */
export type Refusing = "in use" | "parts in use" | "changed" | Trouble;

const refusals: Readonly<Record<Refusing, string>> = {
  ...troubles,
  "in use": "It is in use.",
  "parts in use":
    "Something that would be deleted with it is in use elsewhere. Look at its parts, and change what refers to them first.",
  changed: "It was changed since this page was opened. Deleting it now deletes it as it is by now.",
};

/** How many parts are deleted with a record, as a form tells it. */
export function partsOf(references: readonly ReferencingRecords[]): string {
  return String(references.reduce((sum, { cascades, count }) => sum + (cascades ? count : 0), 0));
}

/** Asks before a record is deleted, or says what is in the way. */
export function DeletePage({
  record,
  kind,
  path,
  many,
  references,
  token,
  why,
}: {
  record: Link & { version: number };
  kind: string;
  path: string;
  many: string;
  references: readonly ReferencingRecords[];
  /** Tells the form from others. */
  token: string;
  /** Why it wasn't deleted. */
  why?: Refusing | undefined;
}) {
  const here = address(path, record);
  const blocking = references.filter(({ cascades }) => !cascades);
  const going = references.filter(({ cascades }) => cascades);
  return (
    <>
      <Trail path={path} many={many} />
      <h1>
        Delete <span class="kind">{kind}</span> {record.displayTitle}?
      </h1>
      {blocking.length > 0 ? (
        <>
          <div class="alert alert-warning" role="alert">
            <p>
              <strong>{record.displayTitle} can’t be deleted while it is in use.</strong> Change or
              delete these first:
            </p>
            <References to={blocking} />
          </div>
          <a class="btn btn-primary" href={here}>
            Back to {record.displayTitle}
          </a>
        </>
      ) : (
        <form method="post">
          <input type="hidden" name="_version" value={record.version} />
          <input type="hidden" name="_parts" value={partsOf(references)} />
          <input type="hidden" name="_token" value={token} />
          {why && (
            <div class="alert alert-danger" role="alert">
              <strong>Not deleted.</strong> {refusals[why]}{" "}
              <a href={here}>Back to {record.displayTitle}</a>
            </div>
          )}
          {going.length > 0 && (
            <div class="alert alert-warning">
              <p>These are parts of it and will be deleted with it:</p>
              <References to={going} />
            </div>
          )}
          <p>This can’t be undone.</p>
          <button class="btn btn-danger" type="submit">
            Delete
          </button>{" "}
          <a class="btn btn-link" href={here}>
            Cancel
          </a>
        </form>
      )}
    </>
  );
}

function References({ to }: { to: readonly ReferencingRecords[] }) {
  return (
    <ul class="mb-0">
      {to.map(({ one, many, path, count, first }) => (
        <li>
          {formatCount(count, one, many)}:{" "}
          {first.map((link, index) => (
            <>
              {index > 0 && ", "}
              <a href={address(path, link)}>{link.displayTitle}</a>
            </>
          ))}
          {count > first.length && " and more"}
        </li>
      ))}
    </ul>
  );
}

/** A page for what went wrong. */
export function ProblemPage({ title, children }: { title: string; children?: Child }) {
  return (
    <>
      <h1>{title}</h1>
      <p>{children}</p>
      <a class="btn btn-primary" href="/">
        Go to the start
      </a>
    </>
  );
}

/** The start: what there is, and how much of it. */
export function HomePage({
  name,
  entities,
}: {
  name: string;
  entities: readonly { path: string; label: string; one: string; count: number }[];
}) {
  return (
    <>
      <h1>{name}</h1>
      <ul class="tiles">
        {entities.map(({ path, label, one, count }) => (
          <li class="tile">
            <a class="stretched-link" href={path}>
              {label}
            </a>
            <span class="count">{formatNumber(count)}</span>
            <a class="add" href={`${path}/new`} aria-label={`New ${one}`}>
              New
            </a>
          </li>
        ))}
      </ul>
    </>
  );
}

function Trail({ path, many }: { path: string; many: string }) {
  return (
    <nav aria-label="You are here" class="trail">
      <a href={path}>← {many}</a>
    </nav>
  );
}
