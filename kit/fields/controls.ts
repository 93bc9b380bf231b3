/** What each kind of field is typed into; inputs that differ in their attributes only are one component. */

export {
  InputField as ColorField,
  InputField as DateField,
  InputField as DateTimeField,
  InputField as DurationField,
  InputField as EmailField,
  InputField as NumberField,
  InputField as PhoneField,
  InputField as TextField,
  InputField as TimeField,
  InputField as UrlField,
} from "../ui/input-field.tsx";
export { CheckboxField } from "./boolean.tsx";
export { ChoiceField } from "./choice.tsx";
export { LongTextField } from "./long-text.tsx";
export { LookupField } from "./reference.tsx";
export { LookupsField } from "./references.tsx";
