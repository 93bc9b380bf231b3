import type { Column, Value } from "./cells.ts";

/** What can be chosen. */
interface Offer {
  text: string;
  id?: number;
}

/** What was typed, and what is chosen by it once that was looked up. */
export interface Entered {
  value: Value;
  chosen?: Promise<Value> | undefined;
}

/** How an edit ended; nothing was entered where the cell is left as it was. */
export type Ended = (entered: Entered | undefined, step: { rows: number; columns: number }) => void;

/** Opens an input in a cell; what can be chosen stands below it while somebody types. */
export function openEditor(
  cell: HTMLTableCellElement,
  column: Column,
  {
    before,
    typed,
    offersAt,
    nothing,
    ended,
  }: { before: Value; typed: string | undefined; offersAt: string; nothing: string; ended: Ended },
): () => void {
  const isLong = column.entry === "lines";
  const input = document.createElement(isLong ? "textarea" : "input");
  input.dataset.editor = "";
  input.value = typed ?? before.text;
  input.setAttribute("aria-label", headingOf(cell));
  input.autocomplete = "off";
  const box = { width: cell.offsetWidth, height: cell.offsetHeight };
  cell.replaceChildren(input);
  input.style.minWidth = `${box.width - 2}px`;
  input.style.height = `${isLong ? Math.max(box.height, 90) : box.height - 2}px`;
  let isOver = false;
  const list = /^(choice|records?)$/.test(column.entry)
    ? new OfferList(input, column, { offersAt, nothing })
    : undefined;

  const end = (keeps: boolean, rows = 0, columns = 0) => {
    if (isOver) return;
    isOver = true;
    const isUntouched = input.value === before.text && !list?.wasUsed;
    const entered = isUntouched
      ? { value: before }
      : { value: { text: input.value }, chosen: list?.chosen() };
    list?.close();
    ended(keeps ? entered : undefined, { rows, columns });
  };
  input.addEventListener("keydown", (event) => {
    const { key, shiftKey, altKey } = event as KeyboardEvent;
    event.stopPropagation();
    if ((event as KeyboardEvent).isComposing) return;
    if (list?.takes(key)) return event.preventDefault();
    if (key === "Escape") end(false);
    else if (key === "Enter" && isLong && altKey) {
      const { selectionStart, selectionEnd } = input;
      input.setRangeText("\n", selectionStart ?? 0, selectionEnd ?? 0, "end");
    } else if (key === "Enter") end(true, shiftKey ? -1 : 1, 0);
    else if (key === "Tab") end(true, 0, shiftKey ? -1 : 1);
    else return;
    event.preventDefault();
  });
  input.addEventListener("blur", () => end(true));
  input.focus();
  if (typed === undefined) input.select();
  list?.open(typed);
  return () => end(true);
}

function headingOf(cell: HTMLTableCellElement): string {
  return cell.closest("table")?.tHead?.rows[0]?.cells[cell.cellIndex]?.innerText ?? "";
}

/** What can be chosen, below an input: as a combobox of the ARIA patterns has it. */
class OfferList {
  readonly #input: HTMLInputElement | HTMLTextAreaElement;
  readonly #column: Column;
  readonly #box = document.createElement("ul");
  readonly #options: { offersAt: string; nothing: string };
  #offers: Offer[] = [];
  #at = -1;
  #asked = 0;
  /** What is being looked up. */
  #looking: Promise<void> = Promise.resolve();
  /** The words that the offers are for. */
  #shownFor = "";
  /** The records that were chosen so far, by their titles, and those that are being looked up. */
  readonly #picked = new Map<string, number>();
  readonly #picks: Promise<void>[] = [];
  /** Whether something was typed or highlighted. */
  wasUsed = false;

  constructor(
    input: HTMLInputElement | HTMLTextAreaElement,
    column: Column,
    options: { offersAt: string; nothing: string },
  ) {
    this.#input = input;
    this.#column = column;
    this.#options = options;
    this.#box.className = "grid-offers";
    this.#box.id = "grid-offers";
    this.#box.setAttribute("role", "listbox");
    this.#box.setAttribute("aria-label", input.getAttribute("aria-label") ?? "");
    input.setAttribute("role", "combobox");
    input.setAttribute("aria-autocomplete", "list");
    input.setAttribute("aria-controls", this.#box.id);
    input.setAttribute("aria-expanded", "false");
    input.addEventListener("input", () => {
      this.wasUsed = true;
      this.#looking = this.#look(column.entry === "choice" ? 0 : 120);
    });
    // A press on an offer comes before the input loses the focus.
    this.#box.addEventListener("pointerdown", (event) => {
      event.preventDefault();
      const item = (event.target as Element).closest("li[data-at]");
      if (!(item instanceof HTMLElement)) return;
      this.#at = Number(item.dataset.at);
      this.wasUsed = true;
      if (column.entry === "records") this.#pickTyped();
      else input.dispatchEvent(new KeyboardEvent("keydown", { key: "Enter" }));
    });
  }

  open(typed: string | undefined): void {
    this.wasUsed = typed !== undefined;
    document.body.append(this.#box);
    this.#looking = this.#look(0);
  }

  close(): void {
    this.#box.remove();
  }

  /** Whether a key was for the list. */
  takes(key: string): boolean {
    if (key === "ArrowDown" || key === "ArrowUp") {
      const step = key === "ArrowDown" ? 1 : -1;
      const last = this.#offers.length - 1;
      this.#highlight(Math.max(0, Math.min(last, this.#at + step)));
      this.wasUsed = true;
      return true;
    }
    if (key !== "Enter" || this.#column.entry !== "records" || this.#typedName() === "")
      return false;
    this.#pickTyped();
    return true;
  }

  /** What is chosen by what was typed, once all of it was looked up; what was typed where that chooses nothing. */
  async chosen(): Promise<Value> {
    const { value: text } = this.#input;
    if (!this.wasUsed || text.trim() === "") return { text };
    await this.#looking;
    if (this.#column.entry !== "records") {
      const offer = this.#offers[this.#at];
      return offer
        ? { text: offer.text, ...(offer.id !== undefined && { ids: [offer.id] }) }
        : { text };
    }
    if (this.#typedName() !== "") this.#pickTyped();
    await Promise.all(this.#picks);
    const names = this.#input.value
      .split(";")
      .map((name) => name.trim())
      .filter(Boolean);
    const ids = names.flatMap((name) => this.#picked.get(name) ?? []);
    return { text: names.join("; "), ...(ids.length === names.length && { ids }) };
  }

  /** What is typed of the last of several names; all of it in a cell for one. */
  #typedName(): string {
    const { value } = this.#input;
    return this.#column.entry === "records" ? (value.split(";").at(-1) ?? "").trim() : value.trim();
  }

  /** Takes what is typed last of several names for the record that is highlighted, or that is found by it. */
  #pickTyped(): void {
    const names = this.#input.value.split(";").map((name) => name.trim());
    const typed = names.at(-1) ?? "";
    const at = names.length - 1;
    const highlighted = this.#shownFor === typed ? this.#offers[this.#at] : undefined;
    this.#input.value = `${names.join("; ")}; `;
    this.#looking = this.#look(0);
    const found = highlighted
      ? Promise.resolve([highlighted])
      : this.#offersFor(typed).then((offers) => offers.slice(0, 1));
    this.#picks.push(
      found.then(([offer]) => {
        if (!offer) return;
        if (offer.id !== undefined) this.#picked.set(offer.text, offer.id);
        const now = this.#input.value.split(";").map((name) => name.trim());
        if (now[at] === typed) now[at] = offer.text;
        this.#input.value = now.join("; ");
      }),
    );
  }

  async #look(pause: number): Promise<void> {
    const turn = ++this.#asked;
    if (pause > 0) await new Promise((resolve) => setTimeout(resolve, pause));
    if (turn !== this.#asked) return;
    const words = this.wasUsed ? this.#typedName() : "";
    const offers = await this.#offersFor(words);
    if (turn !== this.#asked) return;
    this.#offers = offers;
    this.#shownFor = words;
    this.#show(words);
  }

  async #offersFor(words: string): Promise<Offer[]> {
    const { entry, choices, field } = this.#column;
    if (entry === "choice") {
      const wanted = words.toLowerCase();
      const found = choices.filter((text) => text.toLowerCase().includes(wanted));
      return found
        .sort((one, other) => startsWith(other, wanted) - startsWith(one, wanted))
        .map((text) => ({ text }));
    }
    const query = new URLSearchParams({ field, words });
    const answer = await fetch(`${this.#options.offersAt}?${query}`).catch(() => undefined);
    if (!answer?.ok) return [];
    const found = (await answer.json()) as { id: number; title: string }[];
    return found.map(({ id, title }) => ({ id, text: title }));
  }

  #show(words: string): void {
    const items = this.#offers.map(({ text }, at) => {
      const item = document.createElement("li");
      item.setAttribute("role", "option");
      item.id = `grid-offer-${at}`;
      item.dataset.at = String(at);
      item.textContent = text;
      return item;
    });
    if (items.length === 0) {
      const item = document.createElement("li");
      item.className = "soft";
      item.textContent = this.#options.nothing;
      items.push(item);
    }
    this.#box.replaceChildren(...items);
    const { left, bottom, top, width } = this.#input.getBoundingClientRect();
    const isLow = bottom + this.#box.offsetHeight > innerHeight && top > innerHeight / 2;
    this.#box.style.left = `${left}px`;
    this.#box.style.minWidth = `${width}px`;
    this.#box.style.top = `${isLow ? top - this.#box.offsetHeight : bottom}px`;
    this.#input.setAttribute("aria-expanded", "true");
    this.#highlight(words && this.#offers.length > 0 ? 0 : -1);
  }

  #highlight(at: number): void {
    this.#at = at;
    for (const item of this.#box.children)
      item.setAttribute("aria-selected", String(item.id === `grid-offer-${at}`));
    if (at < 0) this.#input.removeAttribute("aria-activedescendant");
    else {
      this.#input.setAttribute("aria-activedescendant", `grid-offer-${at}`);
      this.#box.children[at]?.scrollIntoView({ block: "nearest" });
    }
  }
}

function startsWith(text: string, wanted: string): number {
  return Number(text.toLowerCase().startsWith(wanted));
}
