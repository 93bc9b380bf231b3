import { rowOf } from "./cells.ts";

type Cell = HTMLTableCellElement;

/** The line beside the tools of a grid: what is wrong with the cell that has the focus, and what can be done. */
export class Note {
  readonly #line: HTMLElement | null;
  readonly #words: Readonly<Record<string, string>>;
  readonly #settle: (cell: Cell, takesTheirs: boolean) => void;
  #said = "";

  /** `settle` is told which of two values a person chose. */
  constructor(
    line: HTMLElement | null,
    words: Readonly<Record<string, string>>,
    settle: (cell: Cell, takesTheirs: boolean) => void,
  ) {
    this.#line = line;
    this.#words = words;
    this.#settle = settle;
  }

  say(text: string): void {
    this.#said = text;
    this.#line?.replaceChildren(text);
  }

  /** Says what is wrong with a cell or its row. */
  tell(cell: Cell): void {
    const { theirs } = cell.dataset;
    if (theirs !== undefined) {
      this.say((this.#words.conflict ?? "").replace("{}", theirs));
      this.#line?.append(
        " ",
        this.#choice(cell, "keepMine", false),
        " ",
        this.#choice(cell, "takeTheirs", true),
      );
      return;
    }
    const problem = cell.dataset.wrong || rowOf(cell).cells[0]?.dataset.wrong || "";
    const text = problem === "gone" ? (this.#words.gone ?? "") : problem;
    // What was said already isn't read out again.
    if (text !== this.#said) this.say(text);
  }

  #choice(cell: Cell, word: string, takesTheirs: boolean): HTMLButtonElement {
    const button = Object.assign(document.createElement("button"), {
      type: "button",
      className: "btn btn-outline-secondary btn-sm",
      textContent: this.#words[word] ?? "",
    });
    button.addEventListener("click", () => this.#settle(cell, takesTheirs));
    return button;
  }
}
