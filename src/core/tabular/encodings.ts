/** The encodings that text files are read in, by the names that plans have for them. */
export const encodings = [
  "utf-8",
  "utf-16le",
  "utf-16be",
  "windows-1252",
  "windows-1250",
  "windows-1251",
  "windows-1253",
  "windows-1254",
  "iso-8859-2",
  "iso-8859-15",
  "macintosh",
  "cp437",
  "cp850",
] as const;
export type Encoding = (typeof encodings)[number];

/** Those that have one byte a letter, the likelier ones first. */
export const byteEncodings = encodings.filter((name) => !name.startsWith("utf"));

const western = ["äöüß", "áéíñóúü", "àâæçèéêëîïôœùûüÿ", "àèéìíòóùú", "áâãàçéêíóôõú", "åäöæøé"];
const central = ["ąćęłńóśźż", "áčďéěíňóřšťúůýžľĺŕôä", "áéíóöőúüű", "čćđšž", "ăâîșțşţ"];

/** Letters besides those of ASCII, by language; those of neighbours together, for texts with names from several. */
const alphabets = [
  ...western,
  western.join(""),
  ...central,
  central.join(""),
  "çğıöşüâ",
  "абвгдежзийклмнопрстуфхцчшщъыьэюяёіїєґљњћџђ",
  "αβγδεζηθικλμνξοπρσςτυφχψωάέήίόύώϊϋΐΰ",
].map((letters) => new Set(letters));

/** Signs that people type beside letters. */
const signs = new Set("€£¥°²³§µ½¼¾–—‘’“”„«»…¿¡ºª·×±™©®• ");

/**
 * How well a text reads as words of one language: what a text would get that was decoded wrongly is less. Letters
 * count for the language that knows most of them; those that none knows, and signs within words, count against it.
 */
export function readability(text: string): number {
  const strange = text.match(/\P{ASCII}/gu) ?? [];
  if (strange.length === 0) return 0;
  // A letter on its own is hardly a word: `12 €` has none.
  const letters = text.match(/(?<=\p{L})(?!\p{ASCII})\p{L}|(?!\p{ASCII})\p{L}(?=\p{L})/gu) ?? [];
  const best = Math.max(
    ...alphabets.map((known) => letters.filter((sign) => known.has(sign.toLowerCase())).length),
  );
  const others = strange.filter((sign) => !/\p{L}/u.test(sign));
  const known = others.filter((sign) => signs.has(sign)).length;
  const alone = strange.length - letters.length - others.length;
  // A capital behind a small letter, a sign between letters, and letters of two scripts don't make a word.
  const mixed = text.match(
    /[a-z](?=[\p{Script=Greek}\p{Script=Cyrillic}])|[\p{Script=Greek}\p{Script=Cyrillic}](?=[a-z])/giu,
  );
  const torn =
    2 * (mixed?.length ?? 0) +
    (text.match(/\p{Ll}(?=\P{ASCII})\p{Lu}/gu)?.length ?? 0) +
    (text.match(/\p{L}[^\p{ASCII}\p{L}\p{M}’‘·–]\p{L}/gu)?.length ?? 0);
  const score =
    best + 0.9 * known + 0.3 * alone - (letters.length - best) - 2 * (others.length - known) - torn;
  return score / strange.length;
}

/** The encoding whose text reads best; of several, the first. */
export function likeliest(texts: ReadonlyMap<Encoding, string>): Encoding {
  let found: Encoding = "windows-1252";
  let best = Number.NEGATIVE_INFINITY;
  for (const [encoding, text] of texts) {
    const score = readability(text);
    // The usual one unless another is clearly better.
    if (score > best + 0.02) {
      best = score;
      found = encoding;
    }
  }
  return found;
}
