import * as z from "zod";
import { type Field, type FieldOptions, type FieldType, says } from "./field.ts";
import { type Lengths, lengthChecked, textField, textType } from "./text.ts";

/** A web address that begins with http:// or https://. */
export function url({ max = 2000, ...options }: FieldOptions<string> & Lengths): Field<string> {
  const schema = () =>
    lengthChecked({ ...options, max }).refine(
      (typed) => z.url({ protocol: /^https?$/ }).safeParse(typed).success,
      says((messages) => messages.url),
    );
  return textField("url", { ...options, max }, { schema, attributes: { type: "url" } });
}

export const urlType: FieldType = {
  ...textType,
  leads: false,
  filter: "none",
  show: (value) => <WebLink value={value as string | null} />,
};

/** A web address; only http and https lead anywhere. */
export function WebLink({ value }: { value: string | null }) {
  if (value === null) return null;
  if (!/^https?:\/\//i.test(value)) return <>{value}</>;
  return (
    <a href={value} rel="noreferrer noopener">
      {value}
    </a>
  );
}
