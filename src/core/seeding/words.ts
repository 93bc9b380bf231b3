import { faker } from "@faker-js/faker/locale/en";

const definitions = faker.rawDefinitions;

/** Given and family names, from the word lists of a library. */
export const givenNames: readonly string[] = namesIn(definitions.person?.first_name);
export const familyNames: readonly string[] = namesIn(definitions.person?.last_name);

function namesIn(lists: unknown): string[] {
  const found = Array.isArray(lists) ? lists : Object.values((lists ?? {}) as object).flat();
  const names = found.filter(
    (name): name is string => typeof name === "string" && /^[A-Z][a-z]+$/.test(name),
  );
  return [...new Set(names)].sort();
}

/** Halves of place names that fit together in any combination. */
export const placeStarts = [
  "Amber",
  "Birch",
  "Clover",
  "Copper",
  "Fern",
  "Gorse",
  "Hazel",
  "Heather",
  "Juniper",
  "Larch",
  "Linden",
  "Maple",
  "Mill",
  "Moss",
  "Rowan",
  "Sage",
  "Sorrel",
  "Thyme",
  "Willow",
  "Yarrow",
] as const;
export const placeEnds = [
  "Bank",
  "Bend",
  "Brook",
  "Corner",
  "Dale",
  "Field",
  "Gate",
  "Grove",
  "Hill",
  "Hollow",
  "Lane",
  "Meadow",
  "Orchard",
  "Ridge",
  "Rise",
  "Side",
  "Slope",
  "Spring",
  "Vale",
  "Wood",
] as const;

/** Towns that are on no map. */
export const townStarts = [
  "Alder",
  "Barrow",
  "Crane",
  "Dun",
  "Ester",
  "Fal",
  "Gren",
  "Hather",
  "Kel",
  "Lang",
  "Mar",
  "Nether",
  "Orm",
  "Pen",
  "Quar",
  "Ryd",
  "Stan",
  "Thorn",
  "Uls",
  "Wex",
] as const;
export const townEnds = [
  "bury",
  "by",
  "combe",
  "dale",
  "ford",
  "ham",
  "leigh",
  "mere",
  "stead",
  "ton",
  "wick",
  "worth",
] as const;

/** Sentences that fit a note about almost anything. */
export const remarks = [
  "Checked and found in order.",
  "To be looked at again next month.",
  "Everything as last time.",
  "Cleaned, and the label renewed.",
  "Moved a little further into the shade.",
  "Photographs are in the folder by the door.",
  "Quieter than last year.",
  "Needs a new lid before the winter.",
  "Agreed on the telephone.",
  "Weather was poor, so this was kept short.",
] as const;

/** Short phrases for a line of text of which nothing is known. */
export const phrases = [
  "As agreed",
  "First of its kind",
  "Kept in reserve",
  "Nothing unusual",
  "On trial",
  "Second choice",
  "Standard",
  "To be confirmed",
  "Well kept",
  "With care",
] as const;
