const rules = new Map<string, Intl.PluralRules>();

/** The form of a word that goes with a count: `1 hive`, `2 hives`. */
export function pluralForm(
  language: string,
  count: number,
  forms: { readonly one: string; readonly other: string },
): string {
  const rule = rules.get(language) ?? new Intl.PluralRules(language);
  rules.set(language, rule);
  return rule.select(count) === "one" ? forms.one : forms.other;
}
