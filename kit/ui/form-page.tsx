import type { Child } from "hono/jsx";
import type { Typed } from "../entity/typed.ts";
import {
  type Conflict,
  chosenInput,
  type Form,
  inputName,
  labelOf,
  rowsWithErrors,
  shownTyped,
} from "./form.ts";
import { Trail } from "./layout.tsx";
import { Trap } from "./trap.tsx";

/** The frame of a form: what is wrong in it, its sections, its buttons. */
export function FormFrame({ form, children }: { form: Form; children?: Child }) {
  const { scope, entity, errors, back } = form;
  const { messages } = scope;
  const isWrong = errors.size > 0 || rowsWithErrors(form).length > 0;
  const hasRows = Object.keys(form.parts ?? {}).length > 0;
  return (
    <>
      {!scope.embedded && (
        <Trail scope={scope} to={entity.path} label={scope.namesOf(entity).headings} />
      )}
      <h1>{scope.embedded ? scope.namesOf(entity).heading : form.title}</h1>
      {form.note && (
        <div class="alert alert-warning" role="status">
          {form.note}
        </div>
      )}
      {scope.access && form.record && (
        <div
          class="alert alert-info"
          role="status"
          data-editing={`${encodeURI(entity.path)}/${form.record.id}/editing`}
          hidden={!form.others?.length}
        >
          {form.others?.length ? messages.alsoEditing(form.others) : ""}
        </div>
      )}
      {form.wasDeleted && (
        <div class="alert alert-warning" role="alert">
          <strong>{messages.deletedMeanwhile}</strong> {messages.typedBelow}
        </div>
      )}
      {isWrong && <ErrorSummary form={form} />}
      <form
        method="post"
        action={form.action}
        class="record-form"
        enctype={form.hasFiles ? "multipart/form-data" : undefined}
        data-state={form.stateAt}
        data-pick-label={messages.pickDate}
        data-person={scope.person?.id ?? ""}
        data-kept={messages.care.kept}
        data-put-back={messages.care.putBack}
        data-forget={messages.care.forget}
        novalidate={isWrong || undefined}
      >
        {/* The Enter key presses the first button of a form, which isn't to be one that adds a row. */}
        {hasRows && <button type="submit" hidden />}
        <input type="hidden" name="_version" value={form.version} />
        <input type="hidden" name="_token" value={form.token} />
        {back && <input type="hidden" name="_back" value={back} />}
        {form.began && <input type="hidden" name="_was" value={beginning(form.began)} />}
        {form.conflict && <ConflictChoice form={form} conflict={form.conflict} />}
        {form.copyOf && <input type="hidden" name="_copy" value={form.copyOf.id} />}
        {form.isForLookup && <input type="hidden" name="_for" value="lookup" />}
        {children}
        {scope.embedded && <Trap scope={scope} />}
        <div class="buttons">
          <button class="btn btn-primary" type="submit">
            {scope.embedded ? messages.embedded.send : messages.save}
          </button>
          {form.isNew && !scope.embedded && (
            <button class="btn btn-outline-primary" type="submit" name="_then" value="another">
              {messages.saveAndNext}
            </button>
          )}
          {!scope.embedded && (
            <a class="btn btn-link" href={back ?? entity.path} data-cancel>
              {messages.cancel}
            </a>
          )}
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

/** What a form begins with, as it carries it. */
function beginning(typed: Typed): string {
  return JSON.stringify(Object.fromEntries(typed));
}

function ErrorSummary({ form }: { form: Form }) {
  const { messages, format } = form.scope;
  const isField = ([name]: readonly [string, string]) => Object.hasOwn(form.entity.inputs, name);
  const others = [...form.errors].filter((error) => !isField(error));
  const fields = [...form.errors].filter(isField).map(([name, message]) => ({
    href: `#field-${name}`,
    text: `${labelOf(form, name)}: ${message}`,
  }));
  const all = [...fields, ...rowsWithErrors(form).flatMap(rowErrors)];
  return (
    <div class="alert alert-danger" role="alert" tabindex={-1} id="errors">
      <p class={all.length > 0 ? "mb-1" : "mb-0"}>
        <strong>{messages.notSaved}</strong> {others.map(([, message]) => `${message} `)}
        {all.length > 0 && messages.fieldsToLookAt(all.length, format.number(all.length))}
      </p>
      {all.length > 0 && (
        <ul class="mb-0">
          {all.map(({ href, text }) => (
            <li>
              <a href={href}>{text}</a>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

/** What is wrong in a row, and where. */
function rowErrors(row: Form): { href: string; text: string }[] {
  return [...row.errors].map(([name, message]) => ({
    href: name === "" ? `#row-${row.row?.prefix}` : `#field-${inputName(row, name)}`,
    text: [row.title, name && labelOf(row, name), message].filter(Boolean).join(": "),
  }));
}

/** What somebody else saved meanwhile: what was taken over, and which of two values is to be kept. */
function ConflictChoice({ form, conflict }: { form: Form; conflict: Conflict }) {
  const { messages } = form.scope;
  const { saved, fields, joined } = conflict;
  const shown = (typed: Typed, name: string) =>
    shownTyped(form, name, typed.get(name)) || messages.none;
  return (
    <div class="alert alert-warning" role="alert" id="conflict" tabindex={-1}>
      <p>
        <strong>{messages.editedMeanwhile}</strong>{" "}
        {fields.length > 0 ? messages.chooseWhose : messages.sameTyped}
        {joined.length > 0 && ` ${messages.joinedWith(joined.map((name) => labelOf(form, name)))}`}
      </p>
      {fields.map((name) => (
        <fieldset class="whose">
          <legend>{labelOf(form, name)}</legend>
          {(["mine", "theirs"] as const).map((whose) => (
            <label class="form-check-label lines">
              <input
                class="form-check-input"
                type="radio"
                name={chosenInput(name)}
                value={whose}
                checked={whose === "mine"}
              />{" "}
              <span class="soft">{messages.whose[whose]}:</span>{" "}
              {shown(whose === "mine" ? form.values : saved, name)}
            </label>
          ))}
        </fieldset>
      ))}
    </div>
  );
}
