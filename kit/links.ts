/** A record where only its number and its name matter. */
export interface Link {
  id: number;
  displayTitle: string;
}

/** The address of a record's page: `/hives/12-b-07`. The number finds it; the rest is for people. */
export function address(path: string, record: Link): string {
  const words = slug(record.displayTitle);
  return `${path}/${record.id}${words && `-${words}`}`;
}

/** A text as part of an address: lower case, no accents, hyphens between words, at most 60 characters. */
export function slug(text: string): string {
  const plain = /^[\x20-\x7e]*$/.test(text);
  const letters = plain ? text : text.normalize("NFKD").replace(/\p{M}/gu, "");
  const words = letters.toLowerCase().replace(plain ? /[^a-z0-9]+/g : /[^\p{L}\p{N}]+/gu, "-");
  const short = words.length > 60 ? [...words].slice(0, 60).join("") : words;
  const trimmed = short.replace(/^-|-$/g, "");
  return plain ? trimmed : encodeURI(trimmed);
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

/** A way back that was handed over in a request: kept only when it stays within this application. */
export function localAddress(text: string | null | undefined): string | undefined {
  return text && /^\/(?![/\\])[^\s\\]*$/.test(text) ? text : undefined;
}
