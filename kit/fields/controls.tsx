import type { FC } from "hono/jsx";
import type { FieldProps } from "../ui/field-frame.tsx";
import { FixedField } from "../ui/fixed-field.tsx";
import { InputField } from "../ui/input-field.tsx";
import { TagsInput } from "../ui/tags-input.tsx";
import { CheckboxField as Checkbox } from "./boolean.tsx";
import { ChoiceField as Choice } from "./choice.tsx";
import type { FieldKind } from "./field.ts";
import { FilesInput } from "./files.tsx";
import { LongTextField as LongText } from "./long-text.tsx";
import { NumberField as NumberInput } from "./number.tsx";
import { LookupField as Lookup } from "./reference.tsx";
import { LookupsField as Lookups } from "./references.tsx";

/** What each kind of field is typed into; inputs that differ in their attributes only are one component. */
export const TextField = asked(InputField);
export const NumberField = asked(NumberInput);
export const DateField = TextField;
export const TimeField = TextField;
export const DateTimeField = TextField;
export const DurationField = TextField;
export const EmailField = TextField;
export const UrlField = TextField;
export const PhoneField = TextField;
export const ColorField = TextField;
export const PlaceField = TextField;
export const LongTextField = asked(LongText);
export const CheckboxField = asked(Checkbox);
export const ChoiceField = asked(Choice);
export const LookupField = asked(Lookup);
export const LookupsField = asked(Lookups);
export const TagsField = asked(TagsInput);
export const FilesField = asked(FilesInput);

/** The control of each kind of field. */
export const controls: Readonly<Record<FieldKind, FC<FieldProps>>> = {
  text: TextField,
  "long text": LongTextField,
  integer: NumberField,
  decimal: NumberField,
  span: NumberField,
  money: NumberField,
  percent: NumberField,
  boolean: CheckboxField,
  date: DateField,
  time: TimeField,
  datetime: DateTimeField,
  duration: DurationField,
  email: EmailField,
  url: UrlField,
  phone: PhoneField,
  color: ColorField,
  place: PlaceField,
  choice: ChoiceField,
  reference: LookupField,
  references: LookupsField,
  tags: TagsField,
  image: FilesField,
  file: FilesField,
};

/** A control for those who may fill in its field; others see what is in it, or nothing where it is hidden from them. */
function asked<Props extends FieldProps>(Control: FC<Props>): FC<Props> {
  return (props) => {
    const { form, name } = props;
    if (form.scope.isHidden(form.entity, name)) return null;
    return form.fixed.has(name) ? <FixedField {...props} /> : <Control {...props} />;
  };
}
