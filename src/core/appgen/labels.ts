import type { Texts } from "../model/model.ts";
import { attribute, object, quote } from "./module.ts";

/** A text as an attribute of JSX: as it is, or translated into the language of the scope that an expression gives. */
export function textAttribute(
  name: string,
  text: string,
  texts: Texts | undefined,
  scope: string,
): string {
  const value = texts
    ? `{${scope}.translated(${labelCode({ label: text, labels: texts })})}`
    : attribute(text);
  return ` ${name}=${value}`;
}

/** A label as code: a text, or one by language. */
export function labelCode({
  label,
  labels,
}: {
  label: string;
  labels?: Texts | undefined;
}): string {
  if (!labels || Object.keys(labels).length === 0) return quote(label);
  return object([
    ["other", quote(label)],
    ...Object.entries(labels).map(([language, text]): [string, string] => [language, quote(text)]),
  ]);
}
