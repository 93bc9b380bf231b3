import { english } from "./english.ts";
import { spanish } from "./spanish.ts";
import type { Vocabulary } from "./vocabulary.ts";

/** The words for a language tag; English ones where there are none of its own. */
export function vocabularyOf(language: string): Vocabulary {
  return /^es\b/i.test(language) ? spanish : english;
}
