import { booleanRule } from "./boolean.ts";
import { choiceRule } from "./choice.ts";
import { colorRule } from "./color.ts";
import { dateRule } from "./date.ts";
import { datetimeRule } from "./datetime.ts";
import { decimalRule } from "./decimal.ts";
import { durationRule } from "./duration.ts";
import { emailRule } from "./email.ts";
import type { FieldType, Kind, TypeOf } from "./field-type.ts";
import { fileRule } from "./file.ts";
import { formulaRule } from "./formula.ts";
import { imageRule } from "./image.ts";
import { integerRule } from "./integer.ts";
import { longTextRule } from "./long-text.ts";
import { manyRule } from "./many.ts";
import { moneyRule } from "./money.ts";
import { oneRule } from "./one.ts";
import { partOfRule } from "./part-of.ts";
import { percentRule } from "./percent.ts";
import { phoneRule } from "./phone.ts";
import { placeRule } from "./place.ts";
import { tagsRule } from "./tags.ts";
import { textRule } from "./text.ts";
import { timeRule } from "./time.ts";
import type { TypeRule, Use } from "./type-rule.ts";
import { urlRule } from "./url.ts";
import { userRule } from "./user.ts";

/** What core knows of all types, by the words that name them. */
export const typeRules: { readonly [K in Kind]: TypeRule<TypeOf<K>> } = {
  text: textRule,
  "long text": longTextRule,
  integer: integerRule,
  decimal: decimalRule,
  money: moneyRule,
  percent: percentRule,
  boolean: booleanRule,
  date: dateRule,
  time: timeRule,
  datetime: datetimeRule,
  duration: durationRule,
  email: emailRule,
  url: urlRule,
  phone: phoneRule,
  color: colorRule,
  place: placeRule,
  image: imageRule,
  file: fileRule,
  choice: choiceRule,
  tags: tagsRule,
  user: userRule,
  formula: formulaRule,
  one: oneRule,
  many: manyRule,
  "part of": partOfRule,
};

/** What core knows of a type. */
export function ruleOf({ kind }: FieldType): TypeRule {
  return typeRules[kind] as TypeRule;
}

/** Whether fields of a type can be used for something. */
export function canBe(use: Use, type: FieldType): boolean {
  return ruleOf(type).uses.includes(use);
}

/** Whether searches look for parts of words in its values. Choices are found by their labels. */
export function holdsWords(type: FieldType): boolean {
  if (["choice", "color", "place"].includes(type.kind)) return false;
  const kind = ruleOf(type).storage?.column(type).kind;
  return kind === "text" || kind === "long text";
}

/** The words of all types that can be written down by name. */
export const typeWords = (Object.keys(typeRules) as Kind[]).filter((kind) => kind !== "formula");
