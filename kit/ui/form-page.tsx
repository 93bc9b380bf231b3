import type { Child } from "hono/jsx";
import type { Typed } from "../entity/typed.ts";
import { differences, type Form, labelOf } from "./form.ts";
import { Trail } from "./layout.tsx";

/** The frame of a form: what is wrong in it, its sections, its buttons. */
export function FormFrame({ form, children }: { form: Form; children?: Child }) {
  const { scope, entity, errors, saved, back } = form;
  const { messages } = scope;
  return (
    <>
      <Trail scope={scope} to={entity.path} label={scope.namesOf(entity).headings} />
      <h1>{form.title}</h1>
      {form.note && (
        <div class="alert alert-warning" role="status">
          {form.note}
        </div>
      )}
      {form.wasDeleted && (
        <div class="alert alert-warning" role="alert">
          <strong>{messages.deletedMeanwhile}</strong> {messages.typedBelow}
        </div>
      )}
      {errors.size > 0 && <ErrorSummary form={form} />}
      {saved && <Conflict form={form} saved={saved} />}
      <form
        method="post"
        action={form.action}
        class="record-form"
        data-state={form.stateAt}
        data-pick-label={messages.pickDate}
        novalidate={errors.size > 0 || undefined}
      >
        <input type="hidden" name="_version" value={form.version} />
        <input type="hidden" name="_token" value={form.token} />
        {back && <input type="hidden" name="_back" value={back} />}
        {children}
        <div class="buttons">
          <button class="btn btn-primary" type="submit">
            {messages.save}
          </button>
          {form.isNew && (
            <button class="btn btn-outline-primary" type="submit" name="_then" value="another">
              {messages.saveAndNext}
            </button>
          )}
          <a class="btn btn-link" href={back ?? entity.path}>
            {messages.cancel}
          </a>
        </div>
      </form>
    </>
  );
}

/** Fields that belong together, under a heading. */
export function FormSection({ title, children }: { title?: string; children?: Child }) {
  return (
    <section class="sheet">
      {title && <h2>{title}</h2>}
      <div class="fields">{children}</div>
    </section>
  );
}

function ErrorSummary({ form }: { form: Form }) {
  const { messages, format } = form.scope;
  const isField = ([name]: readonly [string, string]) => Object.hasOwn(form.entity.inputs, name);
  const fields = [...form.errors].filter(isField);
  const others = [...form.errors].filter((error) => !isField(error));
  return (
    <div class="alert alert-danger" role="alert" tabindex={-1} id="errors">
      <p class={fields.length > 0 ? "mb-1" : "mb-0"}>
        <strong>{messages.notSaved}</strong> {others.map(([, message]) => `${message} `)}
        {fields.length > 0 && messages.fieldsToLookAt(fields.length, format.number(fields.length))}
      </p>
      {fields.length > 0 && (
        <ul class="mb-0">
          {fields.map(([name, message]) => (
            <li>
              <a href={`#field-${name}`}>
                {labelOf(form, name)}: {message}
              </a>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

function Conflict({ form, saved }: { form: Form; saved: Typed }) {
  const { messages } = form.scope;
  const different = differences(form, saved);
  return (
    <div class="alert alert-warning" role="alert">
      <p>
        <strong>{messages.editedMeanwhile}</strong>{" "}
        {different.length > 0 ? messages.yoursBelow : messages.sameTyped}
      </p>
      {different.length > 0 && (
        <table class="table table-sm mb-0">
          <thead>
            <tr>
              <th scope="col">{messages.field}</th>
              <th scope="col">{messages.savedNow}</th>
              <th scope="col">{messages.yours}</th>
            </tr>
          </thead>
          <tbody>
            {different.map(({ name, saved: theirs, typed }) => (
              <tr>
                <th scope="row">{labelOf(form, name)}</th>
                <td class="lines">{theirs || messages.none}</td>
                <td class="lines">{typed || messages.none}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
