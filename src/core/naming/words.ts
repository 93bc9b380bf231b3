/** Derives names for tables, files, addresses, code and pages from one name. */

/** The size of the memo. */
const mostKnown = 20_000;

/** A memoized function of names. */
function remembered<Result>(make: (name: string) => Result): (name: string) => Result {
  const known = new Map<string, Result>();
  return (name) => {
    let found = known.get(name);
    if (found === undefined) {
      found = make(name);
      if (known.size < mostKnown) known.set(name, found);
    }
    return found;
  };
}

/** The words in a name of any notation: `QueenLine` and `queen_line` both give `queen`, `line`. */
export const words = remembered((name): readonly string[] =>
  name
    .replace(/(\p{Ll}|\p{N})(\p{Lu})/gu, "$1 $2")
    .replace(/(\p{Lu})(\p{Lu}\p{Ll})/gu, "$1 $2")
    .split(/[\s_-]+/u)
    .filter(Boolean)
    .map((word) => word.toLowerCase()),
);

/** `QueenLine` in the database: `queen_line`. */
export const snakeCase = remembered((name) => words(name).join("_"));

/** `queen_line` as a variable: `queenLine`. */
export const camelCase = remembered((name) =>
  words(name)
    .map((word, index) => (index === 0 ? word : capitalized(word)))
    .join(""),
);

/** `queen_line` as a type: `QueenLine`. */
export const pascalCase = remembered((name) => words(name).map(capitalized).join(""));

/** `brood_frames` as people read it: `Brood frames`. */
export const labelOf = remembered((name) => capitalized(words(name).join(" ")));

/** The first letter as a capital, the rest as it is. */
export function capitalized(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

/** A label within a sentence: `Queen line` becomes `queen line`, but `DNA test` stays. */
export function inSentence(label: string): string {
  return /^\p{Lu}\p{Lu}/u.test(label) ? label : label.charAt(0).toLowerCase() + label.slice(1);
}

/** A name within a sentence, as one of several: `an apiary`, `a hive`. */
export function withArticle(one: string): string {
  // `a one-way street`, in spite of its letters; quotes around a name are not heard.
  return /^`?(?!one\b)[aeiou]/i.test(one) ? `an ${one}` : `a ${one}`;
}

/** A name as part of a file name or an address: hyphens between words, Latin letters without accents. */
export function slugOf(name: string): string {
  return words(name)
    .join("-")
    .normalize("NFKD")
    .replace(/(\p{Script=Latin})\p{M}+/gu, "$1")
    .normalize("NFC")
    .replace(/[^\p{L}\p{N}\p{M}]+/gu, "-")
    .replace(/^-+|-+$/g, "");
}

const irregular: Readonly<Record<string, string>> = {
  child: "children",
  foot: "feet",
  goose: "geese",
  half: "halves",
  knife: "knives",
  leaf: "leaves",
  life: "lives",
  loaf: "loaves",
  man: "men",
  mouse: "mice",
  ox: "oxen",
  person: "people",
  shelf: "shelves",
  tooth: "teeth",
  wife: "wives",
  woman: "women",
};

const uncountable = new Set(["equipment", "information", "series", "species", "sheep", "honey"]);

/** The English plural of the last word of a label: `Queen line` becomes `Queen lines`. */
export function pluralOf(label: string): string {
  const [, start = "", last = ""] = /^(.*?)(\p{L}*)$/u.exec(label) ?? [];
  const word = last.toLowerCase();
  if (uncountable.has(word)) return label;
  if (Object.hasOwn(irregular, word)) {
    const plural = irregular[word] ?? word;
    return start + (last === word ? plural : capitalized(plural));
  }
  if (/(s|x|z|ch|sh)$/.test(word)) return `${label}es`;
  if (/[^aeiou]y$/.test(word)) return `${label.slice(0, -1)}ies`;
  return `${label}s`;
}

/** The singular of the last word of an English label: `Queen lines` becomes `Queen line`. Other words stay as they are. */
export function singularOf(label: string): string {
  const [, start = "", last = ""] = /^(.*?)(\p{L}*)$/u.exec(label) ?? [];
  const word = last.toLowerCase();
  const known = Object.entries(irregular).find(([, plural]) => plural === word)?.[0];
  if (uncountable.has(word)) return label;
  if (known) return start + (last === word ? known : capitalized(known));
  if (/[^aeiou]ies$/.test(word) && word.length > 4) return `${label.slice(0, -3)}y`;
  if (/(sh|ch|x|z|ss)es$/.test(word)) return label.slice(0, -2);
  return /[^su]s$/.test(word) && word.length > 3 ? label.slice(0, -1) : label;
}

/** Names as a sentence lists them: `a`, `a and b`, `a, b and c`. */
export function andList(names: readonly string[]): string {
  return names.length < 3
    ? names.join(" and ")
    : `${names.slice(0, -1).join(", ")} and ${names.at(-1)}`;
}
