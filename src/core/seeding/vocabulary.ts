import { english } from "./english.ts";
import { spanish } from "./spanish.ts";

/** What an entity's records are, as far as its name and fields tell. */
export type Nature = "person" | "place" | "event" | "thing";

/** The words of a language that sample values are made of. */
export interface Vocabulary {
  given: readonly string[];
  /** A list for each family name that people have. */
  family: readonly (readonly string[])[];
  /** Two words that name a place, in any combination, and what sets apart places that are called alike. */
  places: {
    starts: readonly string[];
    ends: readonly string[];
    /** From first and second word, and what sets it apart, to the name. */
    named(start: string, end: string, apart?: string): string;
    apart: readonly string[];
  };
  /** Halves of the names of towns that are on no map. */
  towns: { starts: readonly string[]; ends: readonly string[] };
  street(place: string, number: number): string;
  countries: readonly string[];
  colors: readonly string[];
  occupations: readonly string[];
  /** Sentences for notes, and others that may follow any of them. */
  notes: Readonly<Record<Nature, { sentences: readonly string[]; more: readonly string[] }>>;
  /** Short phrases for a line of text of which nothing is known. */
  phrases: readonly string[];
}

/** The words for a language tag; English ones where there are none of its own. */
export function vocabularyOf(language: string): Vocabulary {
  return /^es\b/i.test(language) ? spanish : english;
}
