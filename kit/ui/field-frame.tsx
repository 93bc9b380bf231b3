import type { Child } from "hono/jsx";
import type { Attributes } from "../fields/field.ts";
import { attributesOf, type Form, inputName, isHidden, labelOf, type Units } from "./form.ts";

/** What the component of a field gets. */
export interface FieldProps {
  form: Form;
  name: string;
  hint?: string | undefined;
  placeholder?: string | undefined;
}

/** A field with its label, and below it what is wrong or good to know. */
export function FieldFrame({ form, name, hint, children }: FieldProps & { children?: Child }) {
  return (
    <div class={form.row ? "in-row" : "mb-3"} {...dependence(form, name)}>
      <label class="form-label" for={`field-${inputName(form, name)}`}>
        {labelOf(form, name)}
        {form.row && <Unit units={form.row.units} name={name} />}
        <RequiredMark form={form} name={name} />
      </label>
      {children}
      <Remarks form={form} name={name} hint={hint} />
    </div>
  );
}

/** The same for a field that several inputs are asked by: boxes to tick, radio buttons, files. */
export function GroupFrame({
  form,
  name,
  hint,
  attributes,
  children,
}: FieldProps & {
  /** Attributes of the group besides, such as a class. */
  attributes?: Attributes;
  children?: Child;
}) {
  return (
    <fieldset
      id={`group-${inputName(form, name)}`}
      tabindex={-1}
      aria-describedby={remarkIds(form, name, hint)}
      {...dependence(form, name)}
      {...attributes}
      class={`${form.row ? "in-row" : "mb-3"} ${attributes?.class ?? ""}`.trim()}
    >
      <legend class="form-label fs-6">
        {labelOf(form, name)}
        <RequiredMark form={form} name={name} />
      </legend>
      {children}
      <Remarks form={form} name={name} hint={hint} />
    </fieldset>
  );
}

/** What is counted in a field, behind its label. */
export function Unit({ units, name }: { units: Units; name: string }) {
  const unit = units[name];
  return unit ? <span class="soft"> ({unit})</span> : null;
}

/** The attributes of a field's `<input>`, `<select>` or `<textarea>`. */
export function inputAttributes(form: Form, name: string, hint?: string) {
  return {
    ...attributesOf(form, name),
    id: `field-${inputName(form, name)}`,
    name: inputName(form, name),
    "aria-describedby": remarkIds(form, name, hint),
    "aria-invalid": form.errors.has(name) ? ("true" as const) : undefined,
  };
}

/** The class of an input with an error. */
export function invalidClass(form: Form, name: string): string {
  return form.errors.has(name) ? " is-invalid" : "";
}

/** What the browser has to know of a field that a form doesn't always ask for. */
export function dependence(form: Form, name: string) {
  return Object.hasOwn(form.state.shown, name)
    ? { "data-field": name, "data-shown": isHidden(form, name) ? "no" : "yes" }
    : {};
}

/** Says that a field has to be filled in; where that depends, the browser may have to show it later. */
export function RequiredMark({ form, name }: { form: Form; name: string }) {
  const { required } = attributesOf(form, name);
  const depends = Object.hasOwn(form.state.needed, name);
  if (!required && !depends) return null;
  return (
    <span data-needed={depends ? name : undefined} hidden={!required}>
      <span class="required" aria-hidden="true">
        {" *"}
      </span>
      <span class="visually-hidden"> {form.scope.messages.required}</span>
    </span>
  );
}

/** What is wrong with a field, and its hint. */
export function Remarks({ form, name, hint: own }: FieldProps) {
  const hint = hintOf(form, name, own);
  const error = form.errors.get(name);
  return (
    <>
      {error && (
        <div id={`error-${inputName(form, name)}`} class="invalid-feedback d-block">
          {error}
        </div>
      )}
      {hint && (
        <div id={`hint-${inputName(form, name)}`} class="form-text">
          {hint}
        </div>
      )}
    </>
  );
}

/** The ids of what is said about a field. */
export function remarkIds(form: Form, name: string, hint?: string): string | undefined {
  const hinted = hintOf(form, name, hint) && `hint-${inputName(form, name)}`;
  const ids = [form.errors.has(name) && `error-${inputName(form, name)}`, hinted].filter(Boolean);
  return ids.length > 0 ? ids.join(" ") : undefined;
}

/** Its own hint, and that it can be left blank, where it isn't so for every field. There is no room for them in rows. */
function hintOf(form: Form, name: string, hint?: string): string | undefined {
  if (form.row) return hint;
  const { filledIn, keptUnseen } = form.scope.messages;
  const more = form.filled.includes(name) ? filledIn : form.kept.includes(name) && keptUnseen;
  return more ? [hint, more].filter(Boolean).join(" ") : hint;
}
