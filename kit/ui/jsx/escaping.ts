/** The signs that mean something in HTML, and what is written for them. */
const marks: Readonly<Record<string, string>> = {
  "&": "&amp;",
  "<": "&lt;",
  ">": "&gt;",
  '"': "&quot;",
  "'": "&#39;",
};

/** A text as HTML. */
export function escaped(text: string): string {
  return /[&<>"']/.test(text) ? text.replace(/[&<>"']/g, (mark) => marks[mark] ?? "") : text;
}

/** The text that `escaped` wrote as HTML. */
export function unescaped(html: string): string {
  const last = Object.entries(marks).toReversed();
  return last.reduce((text, [sign, mark]) => text.replaceAll(mark, sign), html);
}
