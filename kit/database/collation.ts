/** What searches take for the same letter: whatever its case, with or without an accent. */
const variants = new Map<string, string>();

for (const [first, last] of [
  [0x41, 0x24f],
  [0x370, 0x52f],
  [0x1e00, 0x1fff],
] as const) {
  for (let code = first; code <= last; code++) {
    const letter = String.fromCharCode(code);
    if (/\p{L}/u.test(letter)) {
      variants.set(plain(letter), (variants.get(plain(letter)) ?? "") + letter);
    }
  }
}

function plain(letter: string): string {
  return letter.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();
}

/** A word, letter by letter: each with all others that a search takes for it. */
export function lettersOf(word: string): string[] {
  return Array.from(word.normalize("NFC"), (letter) => variants.get(plain(letter)) ?? letter);
}

/** A regular expression that finds a word within a text. */
export function wordPattern(word: string): string {
  return lettersOf(word)
    .map((letters) => {
      if ([...letters].length > 1) return `[${letters}]`;
      return /[\p{L}\p{N}\s]/u.test(letters) || letters > "\x7f" ? letters : `\\${letters}`;
    })
    .join("");
}
