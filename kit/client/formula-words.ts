// Formulas are completed while they are typed: the names that begin with the word before the caret, or are called so.

/** The most words that are offered at once. */
const most = 8;

interface Word {
  text: string;
  label: string;
}

const words: Word[] = [
  ...document.querySelectorAll<HTMLOptionElement>("#formula-words option"),
].map(({ value, label }) => ({ text: value, label }));

for (const input of document.querySelectorAll<HTMLInputElement>("input[data-formula]")) {
  if (words.length > 0) complete(input);
}

function complete(input: HTMLInputElement): void {
  const list = document.createElement("ul");
  list.className = "formula-words";
  list.id = `words-of-${Math.random().toString(36).slice(2)}`;
  list.setAttribute("role", "listbox");
  list.setAttribute("aria-label", input.ariaLabel ?? "");
  list.hidden = true;
  input.after(list);
  // The list of the browser completes whole values only.
  input.removeAttribute("list");
  input.setAttribute("role", "combobox");
  input.setAttribute("aria-autocomplete", "list");
  input.setAttribute("aria-controls", list.id);
  input.setAttribute("aria-expanded", "false");
  let offered: Word[] = [];
  let chosen = -1;

  const show = (found: Word[]) => {
    offered = found;
    chosen = -1;
    list.replaceChildren(
      ...found.map(({ text, label }, at) => {
        const line = document.createElement("li");
        line.id = `${list.id}-${at}`;
        line.setAttribute("role", "option");
        line.textContent = label && label !== text ? `${text}  ${label}` : text;
        line.addEventListener("mousedown", (event) => {
          event.preventDefault();
          take(at);
        });
        return line;
      }),
    );
    list.hidden = found.length === 0;
    input.setAttribute("aria-expanded", String(!list.hidden));
    input.removeAttribute("aria-activedescendant");
  };
  const choose = (at: number) => {
    chosen = (at + offered.length) % offered.length;
    for (const [place, line] of [...list.children].entries())
      line.setAttribute("aria-selected", String(place === chosen));
    input.setAttribute("aria-activedescendant", `${list.id}-${chosen}`);
  };
  const take = (at: number) => {
    const word = offered[at];
    if (!word) return;
    const { start, end } = wordAt(input);
    input.setRangeText(word.text, start, end, "end");
    show([]);
  };

  input.addEventListener("input", () => {
    const { text } = wordAt(input);
    show(text === "" ? [] : matching(text));
  });
  input.addEventListener("blur", () => show([]));
  input.addEventListener("keydown", (event) => {
    if (list.hidden) return;
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      choose(event.key === "ArrowDown" ? chosen + 1 : Math.max(chosen, 0) - 1);
    } else if (event.key === "Escape") {
      event.preventDefault();
      show([]);
    } else if ((event.key === "Enter" || event.key === "Tab") && chosen >= 0) {
      event.preventDefault();
      take(chosen);
    }
  });
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
    ({ text, label }) =>
      text.toLowerCase().startsWith(small) ||
      label
        .toLowerCase()
        .split(/[^\p{L}\p{N}]+/u)
        .some((part) => part.startsWith(small)),
  );
  return found.filter(({ text }) => text !== typed).slice(0, most);
}

export {};
