import type { Label } from "../entity/label.ts";
import { booleanType } from "./boolean.tsx";
import { choiceType } from "./choice.tsx";
import { colorType } from "./color.tsx";
import { dateType } from "./date.ts";
import { datetimeType } from "./datetime.ts";
import { decimalType } from "./decimal.ts";
import { durationType } from "./duration.ts";
import { emailType } from "./email.tsx";
import type { Field, FieldKind, FieldScope, FieldType } from "./field.ts";
import { filesType } from "./files.tsx";
import { integerType } from "./integer.ts";
import { longTextType } from "./long-text.tsx";
import { moneyType } from "./money.ts";
import { percentType } from "./percent.ts";
import { phoneType } from "./phone.tsx";
import { placeType } from "./place.tsx";
import { referenceType } from "./reference.tsx";
import { referencesType } from "./references.tsx";
import { spanType } from "./span.ts";
import { tagsType } from "./tags.tsx";
import { textType } from "./text.ts";
import { timeType } from "./time.ts";
import { urlType } from "./url.tsx";

/** What the kit knows of each kind of field. */
const fieldTypes: Readonly<Record<FieldKind, FieldType>> = {
  text: textType,
  "long text": longTextType,
  integer: integerType,
  decimal: decimalType,
  span: spanType,
  money: moneyType,
  percent: percentType,
  boolean: booleanType,
  date: dateType,
  time: timeType,
  datetime: datetimeType,
  duration: durationType,
  email: emailType,
  url: urlType,
  phone: phoneType,
  color: colorType,
  place: placeType,
  choice: choiceType,
  reference: referenceType,
  references: referencesType,
  tags: tagsType,
  image: filesType,
  file: filesType,
};

/** Whether a list is sorted by the letters of what a field holds. Any database folds those of ASCII by itself. */
export function isOrderedByLetters(field: Field): boolean {
  const { textual, sortable } = typeOf(field);
  const ascii = Object.keys(field.choices ?? {}).every((value) => /^[ -~]*$/.test(value));
  return textual && sortable && !(field.choices && ascii);
}

/** What the kit knows of the kind of a field. */
export function typeOf({ kind }: Pick<Field, "kind">): FieldType {
  return fieldTypes[kind];
}

/** What a number in a field counts, in the language of the person; undefined for others. */
export function unitOf(
  scope: FieldScope & { translated(label: Label): string },
  field: Field,
): string | undefined {
  return field.unit ? scope.translated(field.unit) : typeOf(field).unit?.(scope);
}
