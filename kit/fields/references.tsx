import * as z from "zod";
import type { Link } from "../entity/links.ts";
import { late } from "../messages/late.ts";
import { type FieldProps, GroupFrame, invalidClass } from "../ui/field-frame.tsx";
import { inputName } from "../ui/form.ts";
import { LookupLinks, lookupData, TitleBox } from "../ui/lookup-input.tsx";
import { RecordLinks } from "../ui/record-link.tsx";
import {
  type FieldOptions,
  type FieldType,
  type LinkTable,
  type ReferencesField,
  says,
  sentenceOf,
} from "./field.ts";

/** The most records that one field refers to. */
const mostReferences = 10_000;

/** Any number of records of another entity, `to`, by way of a link table. */
export function references({
  label,
  to,
  through,
  required = false,
}: FieldOptions<number[]> & {
  to: string;
  through: LinkTable;
  required?: boolean;
}): ReferencesField {
  const schema = () =>
    z
      .array(
        z
          .string()
          .refine(
            (typed) => /^\d{1,15}$/.test(typed),
            says(({ chooseFromOffered }) => chooseFromOffered),
          )
          .transform(Number),
      )
      .refine(
        (ids) => ids.length <= mostReferences,
        says(({ chooseAtMost }) => chooseAtMost(mostReferences)),
      )
      .transform((ids) => [...new Set(ids)])
      .refine((ids) => !required || ids.length > 0, says(referencesType.blank));
  const check = late(schema);
  return {
    kind: "references",
    label,
    to,
    through,
    required,
    attributes: () => ({ multiple: true, required }),
    read: (typed, scope) => {
      const result = check().safeParse(typed);
      return result.success ? { value: result.data } : { error: sentenceOf(result.error, scope) };
    },
    write: String,
  };
}

export const referencesType: FieldType = {
  numeric: false,
  textual: false,
  searched: false,
  sortable: false,
  leads: false,
  filter: "choices",
  blank: ({ chooseAtLeastOne }) => chooseAtLeastOne,
  show: (value) => <RecordLinks to={value as readonly Link[]} />,
};

/** A box to tick for each record. */
export function LookupsField(props: FieldProps) {
  const { form, name, hint } = props;
  const chosen = new Set(form.values.get(name));
  const offered = form.options[name] ?? [];
  const id = inputName(form, name);
  return (
    <GroupFrame
      form={form}
      name={name}
      hint={hint}
      attributes={{ ...lookupData(props), id: `field-${id}`, class: "lookup" }}
    >
      <div class={`lookups form-control${invalidClass(form, name)}`}>
        {offered.length === 0 && !form.many.has(name) && (
          <span class="soft">{form.scope.messages.nothingToChoose}</span>
        )}
        {offered.map(({ id: number, displayTitle }) => (
          <div class="form-check">
            <input
              class="form-check-input"
              type="checkbox"
              id={`field-${id}-${number}`}
              name={id}
              value={number}
              checked={chosen.has(String(number))}
            />
            <label class="form-check-label" for={`field-${id}-${number}`}>
              {displayTitle}
            </label>
          </div>
        ))}
      </div>
      {form.many.has(name) && <TitleBox {...props} isOne={false} />}
      <LookupLinks {...props} />
    </GroupFrame>
  );
}
