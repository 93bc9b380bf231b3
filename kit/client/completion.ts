/** A word that is offered while somebody types. */
export interface Word {
  text: string;
  label?: string;
}

/** What is completed: the part of an input before the caret, and what can stand in its place. */
export interface Completing {
  /** The part before the caret, and where it is. */
  partAt(input: HTMLInputElement): { text: string; start: number; end: number };
  /** The words for a part; a later answer is dropped once something else is typed. */
  find(text: string): Word[] | Promise<Word[]>;
  /** What is put in for a word. */
  written?(word: Word): string;
  /** Told of a word that was chosen. */
  taken?(word: Word): void;
  /** Whether something is offered before anything is typed. */
  offersAll?: boolean;
}

/** Completes what is typed into an input: a list below it, by arrows, Enter and Escape, or the mouse. */
export function complete(
  input: HTMLInputElement,
  { partAt, find, written, taken, offersAll = false }: Completing,
): void {
  const list = document.createElement("ul");
  list.className = "offered-words";
  list.id = `words-of-${Math.random().toString(36).slice(2)}`;
  list.setAttribute("role", "listbox");
  list.setAttribute("aria-label", input.ariaLabel ?? input.labels?.[0]?.textContent ?? "");
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
  let asked = 0;

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
    const { start, end } = partAt(input);
    input.setRangeText(written?.(word) ?? word.text, start, end, "end");
    show([]);
    taken?.(word);
    input.dispatchEvent(new Event("change", { bubbles: true }));
  };
  const close = () => {
    asked++;
    show([]);
  };

  const look = async () => {
    const now = ++asked;
    const { text } = partAt(input);
    const found = text === "" && !offersAll ? [] : await find(text);
    if (now === asked) show(found);
  };
  input.addEventListener("input", look);
  if (offersAll) {
    input.addEventListener("focus", () => {
      if (input.value === "") void look();
    });
  }
  input.addEventListener("blur", close);
  input.addEventListener("keydown", (event) => {
    if (list.hidden && offersAll && event.key === "ArrowDown") void look();
    if (list.hidden) return;
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      choose(event.key === "ArrowDown" ? chosen + 1 : Math.max(chosen, 0) - 1);
    } else if (event.key === "Escape") {
      event.preventDefault();
      close();
    } else if ((event.key === "Enter" || event.key === "Tab") && chosen >= 0) {
      event.preventDefault();
      take(chosen);
    }
  });
}
