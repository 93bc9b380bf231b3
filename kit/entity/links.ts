/** A record where only its number, its name and its address matter. */
export interface Link {
  id: number;
  displayTitle: string;
  /** The address of the list of its entity: `/hives`. */
  pagePath: string;
}

/** The address of a record's page: `/hives/12-b-07`. The number finds it; the rest is for people. */
export function address({ id, displayTitle, pagePath }: Link): string {
  const words = slug(displayTitle);
  // The parts are looked at: a text that was just put together is slow to look through.
  const isPlain = isAscii(words) && isAscii(pagePath);
  const whole = words === "" ? `${pagePath}/${id}` : `${pagePath}/${id}-${words}`;
  return isPlain ? whole : encodeURI(whole);
}

function isAscii(text: string): boolean {
  return /^[\x20-\x7e]*$/.test(text);
}

/** Whether two addresses are the same, in whatever way each is written. */
export function isSameAddress(one: string, other: string): boolean {
  return one === other || decoded(one) === decoded(other);
}

function decoded(address: string): string {
  try {
    return decodeURI(address);
  } catch {
    return address;
  }
}

/** A text as part of an address: small letters, hyphens between words, at most 60 characters. */
export function slug(text: string): string {
  const plain = isAscii(text);
  // Letters of Latin lose their accents; in other scripts, marks belong to the words.
  const letters = plain
    ? text
    : text
        .slice(0, 300)
        .normalize("NFKD")
        .replace(/(\p{Script=Latin})\p{M}+/gu, "$1")
        .normalize("NFC");
  const words = letters.toLowerCase().replace(plain ? /[^a-z0-9]+/g : /[^\p{L}\p{N}\p{M}]+/gu, "-");
  const short = words.length > 60 ? [...words].slice(0, 60).join("") : words;
  return short.startsWith("-") || short.endsWith("-") ? short.replace(/^-|-$/g, "") : short;
}

/** The number in the last part of an address, or undefined where there is none. */
export function recordId(part: string): number | undefined {
  const digits = /^(\d{1,15})(?:-|$)/.exec(part)?.[1];
  return digits === undefined ? undefined : Number(digits);
}

/** An address with some of its query replaced; undefined takes one out. */
export function withQuery(
  path: string,
  query: URLSearchParams,
  changes: Record<string, string | undefined>,
): string {
  const next = new URLSearchParams(query);
  for (const [name, value] of Object.entries(changes)) {
    if (value === undefined) next.delete(name);
    else next.set(name, value);
  }
  const text = next.toString();
  return text ? `${path}?${text}` : path;
}

/** Where relative addresses start; nothing is ever sent there. */
const base = "http://localhost";

/** A way back that was handed over in a request: kept only when it stays within this application. */
export function localAddress(text: string | null | undefined): string | undefined {
  if (!text || text.length > 2000 || !/^\/(?![/\\])[^\s\\]*$/.test(text)) return undefined;
  if (!URL.canParse(text, base)) return undefined;
  // Written as a header takes it.
  const { origin, pathname, search } = new URL(text, base);
  return origin === base && !pathname.startsWith("//") ? pathname + search : undefined;
}
