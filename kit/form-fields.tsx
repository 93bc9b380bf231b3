import type { Child } from "hono/jsx";
import { attributesOf, entryOf, type Form, isHidden, typedValue } from "./forms.ts";
import { mostOptions } from "./records.ts";

interface FieldProps {
  form: Form;
  name: string;
  hint?: string;
  placeholder?: string;
  /** What the number counts, behind the input: `m`, `kg`. */
  unit?: string;
}

/** A line of text, or whatever else one `<input>` takes: its kind follows from the Zod type. */
export function TextField({ form, name, hint, placeholder, unit }: FieldProps) {
  const input = (
    <input
      {...common(form, name, hint)}
      class={`form-control${invalid(form, name)}`}
      value={typedValue(form, name)}
      placeholder={placeholder}
      autocomplete="off"
    />
  );
  return (
    <Labelled form={form} name={name} hint={hint}>
      {unit ? (
        <div class="input-group">
          {input}
          <span class="input-group-text">{unit}</span>
        </div>
      ) : (
        input
      )}
    </Labelled>
  );
}

/** Numbers, amounts of money, dates, times, addresses: inputs that differ in their attributes only. */
export {
  TextField as ColorField,
  TextField as DateField,
  TextField as DateTimeField,
  TextField as EmailField,
  TextField as NumberField,
  TextField as PhoneField,
  TextField as TimeField,
  TextField as UrlField,
};

/** Text of several lines. */
export function LongTextField({ form, name, hint, placeholder }: FieldProps) {
  return (
    <Labelled form={form} name={name} hint={hint}>
      <textarea
        {...common(form, name, hint)}
        class={`form-control${invalid(form, name)}`}
        rows={4}
        placeholder={placeholder}
      >
        {`\n${typedValue(form, name)}`}
      </textarea>
    </Labelled>
  );
}

/** A box to tick. */
export function CheckboxField({ form, name, hint }: FieldProps) {
  return (
    <div class="mb-3 form-check" {...dependent(form, name)}>
      <input
        {...common(form, name, hint)}
        type="checkbox"
        value="yes"
        class={`form-check-input${invalid(form, name)}`}
        checked={typedValue(form, name) === "yes"}
      />
      <label class="form-check-label" for={`field-${name}`}>
        {form.labels[name]}
      </label>
      <Remarks form={form} name={name} hint={hint} />
    </div>
  );
}

/** One of a few. */
export function ChoiceField({ form, name, hint }: FieldProps) {
  const choices = Object.entries(entryOf(form, name).choices ?? {});
  return (
    <Select form={form} name={name} hint={hint}>
      {choices.map(([value, label]) => (
        <option value={value} selected={typedValue(form, name) === value}>
          {label}
        </option>
      ))}
    </Select>
  );
}

/** A hint that says when a lookup doesn't offer all there is. */
function lookupHint({ form, name, hint }: FieldProps): string | undefined {
  const few = (form.options[name]?.length ?? 0) < mostOptions;
  return few
    ? hint
    : [hint, `Only the first ${mostOptions} are offered.`].filter(Boolean).join(" ");
}

/** Another record, chosen by its title. */
export function LookupField({ form, name, hint }: FieldProps) {
  return (
    <Select form={form} name={name} hint={lookupHint({ form, name, hint })}>
      {form.options[name]?.map(({ id, displayTitle }) => (
        <option value={id} selected={typedValue(form, name) === String(id)}>
          {displayTitle}
        </option>
      ))}
    </Select>
  );
}

function Select({ form, name, hint, children }: FieldProps & { children?: Child }) {
  return (
    <Labelled form={form} name={name} hint={hint}>
      <select {...common(form, name, hint)} class={`form-select${invalid(form, name)}`}>
        <option value="">{attributesOf(form, name).required ? "Choose…" : "—"}</option>
        {children}
      </select>
    </Labelled>
  );
}

/** Any number of other records: a box to tick for each. */
export function LookupsField({ form, name, hint: own }: FieldProps) {
  const hint = lookupHint({ form, name, hint: own });
  const chosen = new Set(form.values.get(name));
  const offered = form.options[name] ?? [];
  return (
    <fieldset
      class="mb-3"
      {...dependent(form, name)}
      id={`field-${name}`}
      tabindex={-1}
      aria-describedby={remarkIds(form, name, hint)}
    >
      <legend class="form-label fs-6">
        {form.labels[name]}
        <RequiredMark form={form} name={name} />
      </legend>
      <div class={`lookups form-control${invalid(form, name)}`}>
        {offered.length === 0 && (
          <span class="text-secondary">There is nothing to choose yet.</span>
        )}
        {offered.map(({ id, displayTitle }) => (
          <div class="form-check">
            <input
              class="form-check-input"
              type="checkbox"
              id={`field-${name}-${id}`}
              name={name}
              value={id}
              checked={chosen.has(String(id))}
            />
            <label class="form-check-label" for={`field-${name}-${id}`}>
              {displayTitle}
            </label>
          </div>
        ))}
      </div>
      <Remarks form={form} name={name} hint={hint} />
    </fieldset>
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

function Labelled({ form, name, hint, children }: FieldProps & { children?: Child }) {
  return (
    <div class="mb-3" {...dependent(form, name)}>
      <label class="form-label" for={`field-${name}`}>
        {form.labels[name]}
        <RequiredMark form={form} name={name} />
      </label>
      {children}
      <Remarks form={form} name={name} hint={hint} />
    </div>
  );
}

/** What the browser has to know of a field that a form doesn't always ask for. */
function dependent(form: Form, name: string) {
  return Object.hasOwn(form.state.shown, name)
    ? { "data-field": name, "data-shown": isHidden(form, name) ? "no" : "yes" }
    : {};
}

/** Says that a field has to be filled in; where that depends, the browser may have to show it later. */
function RequiredMark({ form, name }: { form: Form; name: string }) {
  const { required } = attributesOf(form, name);
  const depends = Object.hasOwn(form.state.needed, name);
  if (!required && !depends) return null;
  return (
    <span data-needed={depends ? name : undefined} hidden={!required}>
      <span class="required" aria-hidden="true">
        {" *"}
      </span>
      <span class="visually-hidden"> (required)</span>
    </span>
  );
}

function Remarks({ form, name, hint: own }: FieldProps) {
  const hint = hintOf(form, name, own);
  const error = form.errors.get(name);
  return (
    <>
      {error && (
        <div id={`error-${name}`} class="invalid-feedback d-block">
          {error}
        </div>
      )}
      {hint && (
        <div id={`hint-${name}`} class="form-text">
          {hint}
        </div>
      )}
    </>
  );
}

function common(form: Form, name: string, hint?: string) {
  return {
    ...attributesOf(form, name),
    id: `field-${name}`,
    name,
    "aria-describedby": remarkIds(form, name, hint),
    "aria-invalid": form.errors.has(name) ? ("true" as const) : undefined,
  };
}

/** Its own hint, and that it can be left blank, where it isn't so for every field. */
function hintOf(form: Form, name: string, hint?: string): string | undefined {
  if (!form.filled.includes(name)) return hint;
  return [hint, "Left blank, it is filled in."].filter(Boolean).join(" ");
}

function remarkIds(form: Form, name: string, hint?: string): string | undefined {
  const hinted = hintOf(form, name, hint) && `hint-${name}`;
  const ids = [form.errors.has(name) && `error-${name}`, hinted].filter(Boolean);
  return ids.length > 0 ? ids.join(" ") : undefined;
}

function invalid(form: Form, name: string): string {
  return form.errors.has(name) ? " is-invalid" : "";
}
