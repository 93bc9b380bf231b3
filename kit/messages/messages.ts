import { en, type Messages } from "./en.ts";
import { es } from "./es.ts";

/** The languages that the kit speaks, by the first part of their tags. */
const languages: Readonly<Record<string, Messages>> = { en, es };

/** The languages that people can choose, in their own words. */
export const languageNames: Readonly<Record<string, string>> = { en: "English", es: "Español" };

/** The sentences for a language tag such as `es-MX`; English ones for a language that the kit doesn't speak. */
export function messagesFor(language: string): Messages {
  const [base = ""] = language.toLowerCase().split("-");
  return Object.hasOwn(languages, base) ? (languages[base] ?? en) : en;
}

/** The language in which those sentences are: for the `lang` of their page. */
export function spokenLanguage(language: string): string {
  const [base = ""] = language.toLowerCase().split("-");
  return Object.hasOwn(languages, base) ? language : "en";
}
