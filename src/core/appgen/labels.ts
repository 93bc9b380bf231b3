import { object, quote } from "./module.ts";

/** A label as code: a text, or one by language. */
export function labelCode({
  label,
  labels,
}: {
  label: string;
  labels?: Readonly<Record<string, string>> | undefined;
}): string {
  if (!labels || Object.keys(labels).length === 0) return quote(label);
  return object([
    ["other", quote(label)],
    ...Object.entries(labels).map(([language, text]): [string, string] => [language, quote(text)]),
  ]);
}
