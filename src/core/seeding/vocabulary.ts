/** What an entity's records are, as far as its name and fields tell. */
export type Nature = "person" | "place" | "event" | "thing";

/** Subjects of a line of text for which there is a list to pick from. */
export type Listed =
  | "country"
  | "region"
  | "language"
  | "color"
  | "occupation"
  | "material"
  | "size"
  | "phrase";

/** Words that make a name by twos, in any combination, and what sets apart those that are called alike. */
export interface Pairs {
  starts: readonly string[];
  ends: readonly string[];
  /** From first and second word, and what sets it apart, to the name. */
  named(start: string, end: string, apart?: string): string;
  apart: readonly string[];
}

/** The words of a language that sample values are made of. */
export interface Vocabulary {
  given: readonly string[];
  /** A list for each family name that people have. */
  family: readonly (readonly string[])[];
  places: Pairs;
  organisations: Pairs;
  /** Halves of the names of towns that are on no map. */
  towns: { starts: readonly string[]; ends: readonly string[] };
  street(place: string, number: number): string;
  /** Sentences for notes, and others that may follow any of them. */
  notes: Readonly<Record<Nature, { sentences: readonly string[]; more: readonly string[] }>>;
  /** Short words that people put on things. */
  tags: readonly string[];
  /** What a line of text can say; \`phrase\` where nothing is known of it. */
  lists: Readonly<Record<Listed, readonly string[]>>;
}
