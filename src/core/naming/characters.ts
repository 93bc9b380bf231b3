/**
 * Characters that a text can hold without showing them: control characters, line separators, halves of
 * surrogate pairs, and those that turn the direction of what follows, so that it reads as something else.
 */
const unseen = /[\p{Cc}\p{Zl}\p{Zp}\p{Cs}\p{Bidi_Control}\uFFFD]/gu;
const unseenInLines = /(?![\n\t])[\p{Cc}\p{Zl}\p{Zp}\p{Cs}\p{Bidi_Control}\uFFFD]/u;
/** Most texts are of these characters only, which is known much sooner. */
const printable = /^[\x20-\x7e\n\t]*$/;

/** The first character of a text that may not be in a model, as `U+202E`; undefined where there is none. */
export function unseenCharacter(text: string): string | undefined {
  if (printable.test(text)) return undefined;
  const [found] = unseenInLines.exec(text) ?? [];
  return found === undefined ? undefined : codePoint(found);
}

/** Whether a text has characters, and nobody can see any of them. */
export function isInvisible(text: string): boolean {
  return text !== "" && !/[^\s\p{Default_Ignorable_Code_Point}]/u.test(text);
}

/** A text without the characters that show nothing: among them are letters and marks, which names could be made of. */
export function withoutInvisible(text: string): string {
  return text.replace(/\p{Default_Ignorable_Code_Point}/gu, "");
}

/** A text in one line, without what can't be seen. */
export function readable(text: string): string {
  return text.replace(/\s+/gu, " ").replace(unseen, "").trim();
}

/** A text in which invisible characters are replaced by their codes: safe for a terminal. */
export function visible(text: string): string {
  return text.replace(unseen, (found) =>
    found === "\n" || found === "\t" ? found : `<${codePoint(found)}>`,
  );
}

/** JSON in which such characters are escaped, so that it means the same and a terminal may be given it. */
export function visibleJson(json: string): string {
  return json.replace(unseen, (found) =>
    found === "\n" ? found : `\\u${found.charCodeAt(0).toString(16).padStart(4, "0")}`,
  );
}

function codePoint(character: string): string {
  const code = character.codePointAt(0) ?? 0;
  return `U+${code.toString(16).toUpperCase().padStart(4, "0")}`;
}
