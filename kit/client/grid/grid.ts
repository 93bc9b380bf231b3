// The rows of a list as a grid: cells that are typed into, copied, filled and taken back.
import { Cells, cellValue, isFixed, isSame, rowOf, setValue, type Value } from "./cells.ts";
import { parseCells, writtenCells } from "./clipboard.ts";
import { type Entered, openEditor } from "./editor.ts";
import { Note } from "./note.ts";
import { Saving } from "./saving.ts";
import { Selection } from "./selection.ts";
import { History, type Step } from "./undo.ts";
import { keepWidths } from "./widths.ts";

type Cell = HTMLTableCellElement;

/** The most rows that are pasted at once. */
const mostPasted = 2000;

class Grid {
  readonly #frame: HTMLElement;
  readonly #words: Readonly<Record<string, string>>;
  readonly #cells: Cells;
  readonly #selection: Selection;
  readonly #note: Note;
  readonly #saving: Saving;
  readonly #history = new History();
  #closeEditor: (() => void) | undefined;
  #isDragging = false;

  constructor(frame: HTMLElement, table: HTMLTableElement) {
    this.#frame = frame;
    this.#words = JSON.parse(frame.dataset.words ?? "{}");
    this.#cells = new Cells(table, frame.querySelector("template[data-new-row]"));
    const state = frame.querySelector<HTMLElement>("[data-state]");
    this.#note = new Note(frame.querySelector("[data-note]"), this.#words, (cell, takesTheirs) => {
      this.#saving.settle(cell, takesTheirs);
      this.#selection.goTo(cell);
    });
    this.#selection = new Selection(this.#cells, (cell, left) => {
      if (left) this.#saving.left(left);
      this.#note.tell(cell);
    });
    this.#saving = new Saving(this.#cells, frame.dataset.grid ?? "", (now) => {
      state?.replaceChildren(this.#words[now] ?? "");
      state?.setAttribute("data-state", now);
      if (this.#selection.active) this.#note.tell(this.#selection.active);
    });
    keepWidths(table);
    this.#listenToKeys(table);
    this.#listenToPointers(table);
    this.#listenToClipboard();
    this.#listenToTools();
  }

  /** Changes cells, and gives what it really changed. */
  #change(steps: Step[]): Step[] {
    const real = steps.filter(
      ({ cell, before, after }) => !isFixed(cell) && !isSame(before, after),
    );
    for (const { cell, before, after } of real) {
      const row = rowOf(cell);
      setValue(cell, after);
      this.#saving.note(cell, before);
      const isLast = row.sectionRowIndex === this.#cells.height - 1;
      if (row.dataset.new !== undefined && isLast) this.#cells.addNewRow();
    }
    this.#saving.send();
    return real;
  }

  /** Changes cells as one action, which can be taken back. */
  #act(steps: Step[]): void {
    this.#history.add(this.#change(steps));
  }

  /** Takes an action back, or does it again. */
  #repeat(steps: Step[]): void {
    this.#change(steps.filter(({ cell }) => cell.isConnected));
    this.#selection.goTo(steps[0]?.cell);
  }

  #undo = () => this.#repeat(this.#history.undo());
  #redo = () => this.#repeat(this.#history.redo());

  #edit(cell: Cell, typed?: string): void {
    const column = this.#cells.columnOf(cell);
    if (!column?.field || isFixed(cell)) {
      this.#note.say(this.#words.readOnly ?? "");
      return;
    }
    const before = cellValue(cell);
    this.#closeEditor = openEditor(cell, column, {
      before,
      typed,
      offersAt: this.#frame.dataset.offers ?? "",
      nothing: this.#words.nothing ?? "",
      ended: (entered, { rows, columns }) => {
        this.#closeEditor = undefined;
        setValue(cell, before);
        if (!entered) return this.#selection.goTo(cell);
        void this.#take(cell, before, entered);
        if (rows !== 0 || columns !== 0) this.#selection.move(rows, columns);
      },
    });
  }

  /** Takes what was typed, which stands there while it is looked up. */
  async #take(cell: Cell, before: Value, { value, chosen }: Entered): Promise<void> {
    if (chosen) cell.textContent = value.text;
    this.#act([{ cell, before, after: chosen ? await chosen : value }]);
    const { active } = this.#selection;
    if (active && rowOf(active) !== rowOf(cell)) this.#saving.left(rowOf(cell));
  }

  #fillDown = () => {
    const [top = [], ...rest] = this.#selection.picked;
    this.#act(
      rest.flatMap((row) => row.map((cell, at) => stepOf(cell, cellValue(top[at] ?? cell)))),
    );
  };

  #clear(): void {
    this.#act(this.#selection.picked.flat().map((cell) => stepOf(cell, { text: "" })));
  }

  #paste(rows: string[][]): void {
    const { top, left, bottom, right } = this.#selection.rectangle;
    // One value fills all cells that are picked.
    const isOne = rows.length === 1 && rows[0]?.length === 1;
    const fills = isOne
      ? this.#selection.picked.map((row) => row.map(() => rows[0]?.[0] ?? ""))
      : rows;
    const steps: Step[] = [];
    let cutOff = 0;
    for (const [down, texts] of fills.entries()) {
      if (down < mostPasted && !this.#cells.at(top + down, 0)) this.#cells.addNewRow();
      for (const [across, text] of texts.entries()) {
        const cell = this.#cells.at(top + down, left + across);
        if (!cell || isFixed(cell) || down >= mostPasted) cutOff++;
        else steps.push(stepOf(cell, { text }));
      }
    }
    this.#act(steps);
    for (const row of new Set(steps.map(({ cell }) => rowOf(cell)))) this.#saving.left(row);
    const width = Math.max(0, ...fills.map(({ length }) => length));
    this.#selection.pick({
      top,
      left,
      bottom: Math.max(bottom, top + fills.length - 1),
      right: Math.max(right, left + width - 1),
    });
    const { pasted = "", cutOff: others = "" } = this.#words;
    const said = [pasted.replace("{}", String(steps.length))];
    if (cutOff > 0) said.push(others.replace("{}", String(cutOff)));
    this.#note.say(said.join(" "));
  }

  /** What keys do in a cell; false where the key is the browser's. */
  #keys(cell: Cell): Readonly<Record<string, (isShifted: boolean) => unknown>> {
    const selection = this.#selection;
    return {
      "Command z": (isShifted) => (isShifted ? this.#redo() : this.#undo()),
      "Command y": this.#redo,
      "Command d": this.#fillDown,
      "Command a": () => {
        selection.goToEnd("first");
        selection.goToEnd("last", true);
      },
      "Command Home": (isShifted) => selection.goToEnd("first", isShifted),
      "Command End": (isShifted) => selection.goToEnd("last", isShifted),
      ArrowDown: (isShifted) => selection.move(1, 0, isShifted),
      ArrowUp: (isShifted) => selection.move(-1, 0, isShifted),
      ArrowRight: (isShifted) => selection.move(0, 1, isShifted),
      ArrowLeft: (isShifted) => selection.move(0, -1, isShifted),
      PageDown: (isShifted) => selection.move(10, 0, isShifted),
      PageUp: (isShifted) => selection.move(-10, 0, isShifted),
      Home: (isShifted) => selection.move(0, -this.#cells.width, isShifted),
      End: (isShifted) => selection.move(0, this.#cells.width, isShifted),
      // From the last cell, Tab leads out of the grid.
      Tab: (isShifted) => selection.moveOn(isShifted ? -1 : 1),
      Enter: () => this.#edit(cell),
      F2: () => this.#edit(cell),
      Delete: () => this.#clear(),
      Backspace: () => this.#clear(),
      Escape: () => this.#frame.querySelector<HTMLElement>(".grid-tools button")?.focus(),
    };
  }

  #listenToKeys(table: HTMLTableElement): void {
    table.addEventListener("keydown", (event) => {
      const { active } = this.#selection;
      if (!active || event.isComposing || event.altKey) return;
      const { key, shiftKey, ctrlKey, metaKey } = event;
      const isCommand = ctrlKey || metaKey;
      const letter = key.length === 1 ? key.toLowerCase() : key;
      const does = this.#keys(active)[isCommand ? `Command ${letter}` : key];
      if (does) {
        if (does(shiftKey) === false) return;
      } else if (key.length === 1 && !isCommand) this.#edit(active, key);
      else return;
      event.preventDefault();
    });
    table.addEventListener("focusin", ({ target }) => {
      if (target instanceof HTMLTableCellElement && target !== this.#selection.active)
        this.#selection.goTo(target);
    });
    this.#frame.addEventListener("focusout", ({ relatedTarget }) => {
      const { active } = this.#selection;
      if (active && relatedTarget instanceof Node && !this.#frame.contains(relatedTarget))
        this.#saving.left(rowOf(active));
    });
  }

  #listenToPointers(table: HTMLTableElement): void {
    const cellAt = (event: Event, but: string) => {
      const target = event.target as Element;
      return target.closest(but) ? undefined : (target.closest("td") ?? undefined);
    };
    table.addEventListener("pointerdown", (event) => {
      const cell = cellAt(event, "[data-editor], a, button");
      if (!cell) return;
      event.preventDefault();
      this.#closeEditor?.();
      this.#isDragging = event.pointerType === "mouse";
      // A finger opens the cell that it touches again.
      if (!this.#isDragging && cell === this.#selection.active) this.#edit(cell);
      else this.#selection.goTo(cell, event.shiftKey);
    });
    table.addEventListener("pointerover", (event) => {
      const cell = cellAt(event, "[data-editor]");
      if (this.#isDragging && cell && !this.#closeEditor) this.#selection.goTo(cell, true);
    });
    addEventListener("pointerup", () => {
      this.#isDragging = false;
    });
    table.addEventListener("dblclick", (event) => {
      const cell = cellAt(event, "[data-editor], a");
      if (cell) this.#edit(cell);
    });
  }

  #listenToClipboard(): void {
    const actions: Readonly<Record<"copy" | "cut" | "paste", (data: DataTransfer) => void>> = {
      copy: (data) => data.setData("text/plain", this.#copied()),
      cut: (data) => {
        data.setData("text/plain", this.#copied());
        this.#clear();
      },
      paste: (data) => this.#paste(parseCells(data.getData("text/plain"))),
    };
    for (const [name, does] of Object.entries(actions)) {
      document.addEventListener(name as keyof typeof actions, (event) => {
        const { active } = this.#selection;
        if (!active || document.activeElement !== active || !event.clipboardData) return;
        does(event.clipboardData);
        event.preventDefault();
      });
    }
  }

  #copied(): string {
    return writtenCells(
      this.#selection.picked.map((row) => row.map((cell) => cellValue(cell).text)),
    );
  }

  #listenToTools(): void {
    const tools: Readonly<Record<string, () => void>> = {
      undo: this.#undo,
      redo: this.#redo,
      fill: this.#fillDown,
    };
    this.#frame.addEventListener("click", ({ target }) => {
      const button = (target as Element).closest<HTMLElement>("[data-tool]");
      tools[button?.dataset.tool ?? ""]?.();
    });
  }
}

function stepOf(cell: Cell, after: Value): Step {
  return { cell, before: cellValue(cell), after };
}

for (const frame of document.querySelectorAll<HTMLElement>("[data-grid]")) {
  const table = frame.querySelector("table");
  if (table) new Grid(frame, table);
}
