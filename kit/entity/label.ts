/** A name that people read: the same in every language, or one by language with `other` for the rest. */
export type Label = string | (Readonly<Record<string, string>> & { readonly other: string });

/** A label in the language of a tag such as `es-MX`. */
export function labelIn(label: Label, language: string): string {
  if (typeof label === "string") return label;
  const [base = ""] = language.split("-");
  const found = [language, base].find((tag) => Object.hasOwn(label, tag)) ?? "other";
  return label[found] ?? label.other;
}

/** A label within a sentence: `Queen line` becomes `queen line`, but `DNA test` stays. */
export function inSentence(label: string): string {
  return /^\p{Lu}\p{Lu}/u.test(label) ? label : label.charAt(0).toLowerCase() + label.slice(1);
}

/** What an entity is called, in one language. */
export interface Names {
  /** `Queen line` */
  heading: string;
  /** `Queen lines` */
  headings: string;
  /** `queen line` */
  one: string;
  /** `queen lines` */
  many: string;
}
