import type { Child } from "hono/jsx";
import { address } from "../entity/links.ts";
import { type FieldProps, inputAttributes, invalidClass } from "./field-frame.tsx";
import { fieldOf, inputName, labelOf, typedValue } from "./form.ts";

/** The input into which the title of a record is typed, for a lookup with too many to list. */
export function namedInput(name: string): string {
  return `${name}.named`;
}

/** What a lookup needs of a browser: where it asks what is offered. */
export function lookupData({ form, name }: FieldProps) {
  return {
    "data-lookup": name,
    ...(form.row && { "data-prefix": form.row.prefix }),
    "data-offers": form.offersAt ?? "",
  };
}

/** A box into which the title of a record is typed; it is found while one types, or when the form is sent. */
export function TitleBox({
  form,
  name,
  hint,
  isOne,
}: FieldProps & {
  /** Whether the field takes one record, which the box has then. */
  isOne: boolean;
}) {
  const typed = form.named?.get(name);
  const chosen = form.options[name]?.find(({ id }) => String(id) === typedValue(form, name));
  const attributes = inputAttributes(form, name, hint);
  return (
    <input
      {...attributes}
      {...(!isOne && { id: `add-${inputName(form, name)}`, "aria-label": labelOf(form, name) })}
      type="search"
      name={namedInput(inputName(form, name))}
      class={`form-control${invalidClass(form, name)}`}
      value={typed ?? (isOne ? (chosen?.displayTitle ?? "") : "")}
      required={isOne && attributes.required}
      multiple={false}
      autocomplete="off"
      placeholder={form.scope.messages.lookup.type}
    />
  );
}

/** What stands beside a lookup: the way to the record that is chosen, and the way to add one. In rows, it has no room. */
export function LookupLinks({ form, name }: FieldProps): Child {
  const { scope } = form;
  if (form.row) return null;
  const field = fieldOf(form, name) as { to?: string };
  const target = field.to === undefined ? undefined : scope.entities.named(field.to);
  if (!target) return null;
  const path = encodeURI(target.path);
  const chosen = form.options[name]?.find(({ id }) => String(id) === typedValue(form, name));
  const mayAdd = scope.offers("/new", target) && scope.may("see", target);
  const isOne = fieldOf(form, name).kind === "reference";
  const { lookup, newRecord } = scope.messages;
  if (scope.embedded) return null;
  return (
    <span class="lookup-links">
      {isOne && (
        <a
          href={chosen ? address(chosen) : path}
          target="_blank"
          rel="noopener"
          data-open={path}
          hidden={!chosen}
        >
          {lookup.open}
          <span class="visually-hidden">: {labelOf(form, name)}</span>
        </a>
      )}
      {mayAdd && (
        <a href={`${path}/new?_for=lookup`} target="_blank" data-adds={path} rel="noopener">
          {newRecord(scope.namesOf(target).one)}
        </a>
      )}
    </span>
  );
}
