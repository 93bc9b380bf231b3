import type { Child } from "hono/jsx";

/** What is wrong with inputs, by their names; blank for the whole form. */
export type Errors = ReadonlyMap<string, string>;

/** An input of a form that no entity has, with its label, and what is wrong with it. */
export function PlainInput({
  name,
  label,
  type = "text",
  value,
  errors,
  hint,
  autocomplete = "off",
  required = true,
}: {
  name: string;
  label: string;
  type?: "text" | "email" | "password";
  value?: string;
  errors: Errors;
  hint?: string;
  autocomplete?: string;
  required?: boolean;
}) {
  return (
    <Framed name={name} label={label} errors={errors} hint={hint}>
      <input
        class={`form-control${errors.has(name) ? " is-invalid" : ""}`}
        id={`field-${name}`}
        name={name}
        type={type}
        value={value}
        autocomplete={autocomplete}
        required={required}
        maxlength={1000}
        {...described(name, errors, hint)}
      />
    </Framed>
  );
}

/** A choice of one among several; `none` is what it says where none is chosen, if that can be. */
export function PlainSelect({
  name,
  label,
  value,
  none,
  choices,
  errors,
}: {
  name: string;
  label: string;
  value: string;
  none?: string;
  choices: readonly (readonly [string, string])[];
  errors: Errors;
}) {
  return (
    <Framed name={name} label={label} errors={errors}>
      <select
        class="form-select"
        id={`field-${name}`}
        name={name}
        {...described(name, errors, undefined)}
      >
        {none !== undefined && <option value="">{none}</option>}
        {choices.map(([choice, text]) => (
          <option value={choice} selected={choice === value}>
            {text}
          </option>
        ))}
      </select>
    </Framed>
  );
}

/** An input with its label above, and what is wrong or good to know below. */
export function Framed({
  name,
  label,
  errors,
  hint,
  children,
}: {
  name: string;
  label: string;
  errors: Errors;
  hint?: string | undefined;
  children?: Child;
}) {
  const error = errors.get(name);
  return (
    <div class="mb-3">
      <label class="form-label" for={`field-${name}`}>
        {label}
      </label>
      {children}
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
    </div>
  );
}

export function described(name: string, errors: Errors, hint: string | undefined) {
  const ids = [errors.has(name) && `error-${name}`, hint && `hint-${name}`].filter(Boolean);
  return {
    "aria-invalid": errors.has(name) ? ("true" as const) : undefined,
    "aria-describedby": ids.length > 0 ? ids.join(" ") : undefined,
  };
}

/** What is wrong with a form as a whole. */
export function FormProblem({ errors }: { errors: Errors }) {
  const error = errors.get("");
  return error ? (
    <div class="alert alert-danger" role="alert">
      {error}
    </div>
  ) : null;
}
