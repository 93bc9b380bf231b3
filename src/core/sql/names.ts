/** A made-up name, cut where it is too long, with a number of its own behind it. */
export function cutName(words: readonly string[], fits: (name: string) => boolean): string {
  const name = words.join("_");
  if (fits(name)) return name;
  let number = 2166136261;
  for (const letter of name) number = Math.imul(number ^ (letter.codePointAt(0) ?? 0), 16777619);
  const tail = `_${(number >>> 0).toString(16).padStart(8, "0")}`;
  let letters = [...name];
  while (!fits(letters.join("") + tail)) letters = letters.slice(0, -1);
  return letters.join("") + tail;
}
