// Formulas are completed while they are typed: the names that begin with the word before the caret, or are called so.
import { complete, type Word } from "./completion.ts";

/** The most words that are offered at once. */
const most = 8;

const words: Word[] = [
  ...document.querySelectorAll<HTMLOptionElement>("#formula-words option"),
].map(({ value, label }) => ({ text: value, label }));

for (const input of document.querySelectorAll<HTMLInputElement>("input[data-formula]")) {
  if (words.length > 0) complete(input, { partAt: wordAt, find: matching });
}

/** The word before the caret, and where it is. */
function wordAt({ value, selectionStart }: HTMLInputElement) {
  const end = selectionStart ?? value.length;
  const [text = ""] = /[\p{L}\p{M}\p{N}_.]*$/u.exec(value.slice(0, end)) ?? [];
  return { text, start: end - text.length, end };
}

function matching(typed: string): Word[] {
  const small = typed.toLowerCase();
  const found = words.filter(
    ({ text, label = "" }) =>
      text.toLowerCase().startsWith(small) ||
      label
        .toLowerCase()
        .split(/[^\p{L}\p{N}]+/u)
        .some((part) => part.startsWith(small)),
  );
  return found.filter(({ text }) => text !== typed).slice(0, most);
}
