import type { Link } from "../entity/links.ts";
import { FieldFrame, type FieldProps } from "../ui/field-frame.tsx";
import { inputName, typedValue } from "../ui/form.ts";
import { LookupLinks, lookupData, TitleBox } from "../ui/lookup-input.tsx";
import { Radios } from "../ui/radios.tsx";
import { RecordLink } from "../ui/record-link.tsx";
import { SelectFrame } from "../ui/select.tsx";
import {
  type FieldOptions,
  type FieldType,
  type ReferenceField,
  readBy,
  says,
  typedText,
} from "./field.ts";

/** A lookup: the number of a record of another entity, `to`. */
export function reference({
  label,
  to,
  part,
  single,
  signsIn,
  start,
}: Omit<FieldOptions<number>, "start"> & {
  to: string;
  /** A new record begins with the one that whoever adds it is. */
  start?: "me";
  part?: boolean;
  single?: boolean;
  signsIn?: boolean;
}): ReferenceField<number> {
  const schema = () =>
    typedText()
      .refine(
        (typed) => /^\d{1,15}$/.test(typed),
        says(({ chooseOffered }) => chooseOffered),
      )
      .transform(Number);
  return {
    kind: "reference",
    label,
    to,
    ...(part !== undefined && { part }),
    ...(single !== undefined && { single }),
    ...(signsIn !== undefined && { signsIn }),
    ...(start && { start: ({ me }) => (me === 0 ? null : me) }),
    required: true,
    attributes: () => ({ required: true }),
    read: readBy({ schema }, referenceType.blank),
    write: String,
  };
}

export const referenceType: FieldType = {
  numeric: false,
  textual: true,
  searched: false,
  sortable: true,
  leads: false,
  filter: "choices",
  blank: ({ chooseOne }) => chooseOne,
  show: (value) => <RecordLink to={value as Link | null} />,
};

/**
 * A select, radio buttons, or a box into which a title is typed; `as` says which of them. Where there are too many records
 * to list, their titles are typed in any case.
 */
export function LookupField({ as, ...props }: FieldProps & { as?: "select" | "radio" | "search" }) {
  const { form, name, hint } = props;
  const offered = form.options[name] ?? [];
  const choices = offered.map(({ id, displayTitle }) => ({
    value: String(id),
    label: displayTitle,
  }));
  return (
    <div class="lookup" {...lookupData(props)}>
      {as === "search" || form.many.has(name) ? (
        <FieldFrame form={form} name={name} hint={hint}>
          <input type="hidden" name={inputName(form, name)} value={typedValue(form, name)} />
          <TitleBox {...props} isOne />
        </FieldFrame>
      ) : as === "radio" ? (
        <Radios {...props} choices={choices} />
      ) : (
        <SelectFrame form={form} name={name} hint={hint}>
          {choices.map(({ value, label }) => (
            <option value={value} selected={typedValue(form, name) === value}>
              {label}
            </option>
          ))}
        </SelectFrame>
      )}
      <LookupLinks {...props} />
    </div>
  );
}
