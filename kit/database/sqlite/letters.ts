import type Driver from "libsql";

/** How a letter beyond ASCII is ordered: as which other letters, and after which of those that read alike. */
interface Letter {
  letter: string;
  /** The ASCII letters it sorts as, such as `a` for `Á` and `ae` for `æ`. */
  base: string;
  /** Distinguishes letters with the same base, ignoring case: `a` for the base itself. */
  mark: string;
  lower: string;
  upper: string;
}

/** Letters with their case and accents, with the space and signs among them. */
const ranges = [
  [0xa0, 0x24f],
  [0x370, 0x52f],
  [0x1e00, 0x206f],
] as const;

/** Signs that sort where an ASCII sign does. */
const signs: Readonly<Record<string, string>> = {
  "-": "‐‑‒–—―",
  "'": "‘’‚‛‹›´",
  '"': "“”„‟«»",
  "?": "¿",
  "!": "¡",
  ".": "·•",
};

const ascii = [..."0123456789abcdefghijklmnopqrstuvwxyz"];
const unmarked = new Intl.Collator("und", { sensitivity: "base" });
const marked = new Intl.Collator("und", { sensitivity: "accent" });

/** The letters beyond ASCII, as the root of the Unicode collation has them. */
export function orderedLetters(): Letter[] {
  const byBase = new Map<string, string[]>();
  const ownPlace: string[] = [];
  for (const [first, last] of ranges) {
    for (let code = first; code <= last; code++) {
      const letter = String.fromCodePoint(code);
      const sign = Object.keys(signs).find((each) => signs[each]?.includes(letter));
      const base = sign ?? asciiOf(letter);
      if (base !== undefined) byBase.set(base, [...(byBase.get(base) ?? []), letter]);
      else if (/[\p{L}\p{N}]/u.test(letter)) ownPlace.push(letter);
    }
  }
  // A letter with no ASCII base follows the last one that sorts before it: `ŋ` is `n`, the last of all characters and a number.
  ownPlace.sort(unmarked.compare);
  let before = "";
  let number = 0;
  for (const letter of ownPlace) {
    if (before === "" || unmarked.compare(before, letter) !== 0) number++;
    before = letter;
    const after = ascii.filter((each) => unmarked.compare(each, letter) < 0).at(-1) ?? "";
    const base = `${after}\u{10ffff}${String.fromCodePoint(0x100 + number)}`;
    byBase.set(base, [...(byBase.get(base) ?? []), letter]);
  }
  return [...byBase].flatMap(([base, letters]) => marks(base, letters));
}

/** The letters of ASCII that a letter reads as, such as `ae`; undefined where there are none. */
function asciiOf(letter: string): string | undefined {
  const parts = letter.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();
  const readings = [parts, ...ascii, "ae", "oe", "ss"];
  return readings.find(
    (each) => /^[ -~]+$/.test(each) && (each === " " || unmarked.compare(each, letter) === 0),
  );
}

function marks(base: string, letters: readonly string[]): Letter[] {
  const sorted = [...letters].sort(marked.compare);
  // A joiner of two letters is after all accents of the first.
  const joined = /^[a-z]{2}/.test(base) ? 200 : 0;
  let rank = 0;
  let before = /^[ -~]+$/.test(base) ? base : (sorted[0] ?? "");
  return sorted.map((letter) => {
    if (marked.compare(before, letter) !== 0) rank++;
    before = letter;
    const first = rank === 0 ? "a" : String.fromCodePoint(0x61 + rank + joined);
    return {
      letter,
      base,
      mark: first.padEnd(base.length, "a"),
      lower: oneLetter(letter.toLowerCase()) ?? letter,
      upper: oneLetter(letter.toUpperCase()) ?? letter,
    };
  });
}

function oneLetter(text: string): string | undefined {
  return [...text].length === 1 ? text : undefined;
}

/**
 * Makes the tables that the sorting triggers read, unless they exist: the letters, and a table that computes
 * the sort key of any text inserted into it.
 */
export function prepareLetters(driver: Driver.Database): void {
  const there = driver
    .prepare("select 1 from sqlite_schema where type = 'table' and name = 'levadura_letters'")
    .all();
  if (there.length > 0) return;
  driver.exec(
    `create table levadura_letters (letter text not null primary key, base text not null, mark text not null, lower text not null, upper text not null) without rowid;
create table levadura_texts (text text, folded text);
create trigger levadura_texts_fold after insert on levadura_texts when new.text glob '*[^ -~]*' begin
  update levadura_texts set folded = ${folded("new.text")} where rowid = new.rowid;
end`,
  );
  const insert = driver.prepare("insert into levadura_letters values (?, ?, ?, ?, ?)");
  for (const { letter, base, mark, lower, upper } of orderedLetters()) {
    insert.run([letter, base, mark, lower, upper]);
  }
}

const known = new Map<string, Letter>();

/** What a letter is read as: the small ASCII letters that it sorts as, or its own place among others. */
export function baseOf(letter: string): string {
  if (letter <= "\x7f") return letter.toLowerCase();
  if (known.size === 0) for (const each of orderedLetters()) known.set(each.letter, each);
  return known.get(letter)?.base ?? letter;
}

/** The sort key of a text; the same as SQL computes in `folded`. */
export function orderOf(text: string): string {
  if (/^[ -~]*$/.test(text)) return text.toLowerCase();
  let base = "";
  let mark = "";
  for (const letter of text) {
    base += baseOf(letter);
    mark += known.get(letter)?.mark ?? "a";
  }
  mark = mark.replace(/a+$/, "");
  return mark ? `${base}\x01${mark}` : base;
}

/** The sort key of an expression, in SQL. */
export function folded(text: string): string {
  const letter = "substr(x, place.key + 1, 1)";
  const letters = `select coalesce(base, lower(${letter})) as base, coalesce(mark, 'a') as mark from json_each('[' || substr(replace(hex(zeroblob(length(x))), '00', ',0'), 2) || ']') as place left join levadura_letters on letter = ${letter} order by place.key`;
  // Aggregates take no order of their own before SQLite 3.44, and whoever opens the file may have an older one.
  const whole = `select group_concat(base, '') || coalesce(char(1) || nullif(rtrim(group_concat(mark, ''), 'a'), ''), '') from (${letters})`;
  return `(select case when x glob '*[^ -~]*' then (${whole}) else lower(x) end from (select ${text} as x limit 1))`;
}
