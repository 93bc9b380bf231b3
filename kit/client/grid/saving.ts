import { type Cells, cellValue, isSame, setValue, type Value } from "./cells.ts";

/** What was typed into a row and isn't saved. */
interface Draft {
  token: string;
  /** What was in the cells before, and what was typed into them, by their fields. */
  before: Record<string, Value>;
  cells: Record<string, Value>;
  /** Whether it waits for somebody to mend it, or to go on to another row. */
  waits: boolean;
}

/** What the server answers for a row. */
interface Answer {
  saved?: string;
  changed?: string;
  errors?: Record<string, string>;
  gone?: boolean;
}

export type State = "saved" | "saving" | "waiting" | "offline" | "signedOut" | "refused" | "wrong";

/** The most rows that are sent at once. */
const atOnce = 50;
/** How long to wait before trying again, in milliseconds. */
const pauses = [1000, 2000, 5000, 10_000, 30_000];

/**
 * Sends what was typed, row by row, and keeps it until the server has it: through lost connections in this page, and
 * through a reload in the storage of this window.
 */
export class Saving {
  readonly #drafts = new Map<HTMLTableRowElement, Draft>();
  readonly #cells: Cells;
  readonly #address: string;
  readonly #tell: (state: State) => void;
  #isSending = false;
  #failures = 0;
  #again: ReturnType<typeof setTimeout> | undefined;

  constructor(cells: Cells, address: string, tell: (state: State) => void) {
    this.#cells = cells;
    this.#address = address;
    this.#tell = tell;
    addEventListener("online", () => this.send());
    addEventListener("focus", () => this.send());
    addEventListener("beforeunload", (event) => {
      if (this.#drafts.size > 0) event.preventDefault();
    });
    this.#restore();
  }

  /** Takes what was typed into a cell. A new row is sent when it is left; others at once. */
  note(cell: HTMLTableCellElement, before: Value): void {
    const row = cell.parentElement as HTMLTableRowElement;
    const field = this.#cells.columnOf(cell)?.field ?? "";
    const draft = this.#drafts.get(row) ?? { token: "", before: {}, cells: {}, waits: false };
    draft.token = crypto.randomUUID();
    draft.before[field] ??= before;
    draft.cells[field] = cellValue(cell);
    draft.waits = row.dataset.new !== undefined;
    if (row.dataset.id && isSame(draft.before[field] as Value, draft.cells[field] as Value)) {
      delete draft.before[field];
      delete draft.cells[field];
    }
    clearTrouble(cell);
    cell.classList.toggle("unsaved", field in draft.cells);
    if (Object.keys(draft.cells).length > 0) this.#drafts.set(row, draft);
    else this.#drafts.delete(row);
    this.#keep();
  }

  /** Sends a new row that somebody has left. */
  left(row: HTMLTableRowElement): void {
    const draft = this.#drafts.get(row);
    if (!draft || row.dataset.new === undefined) return;
    draft.waits = false;
    this.send();
  }

  /** Takes the other one's value of a cell, or keeps one's own. */
  settle(cell: HTMLTableCellElement, takesTheirs: boolean): void {
    const row = cell.parentElement as HTMLTableRowElement;
    const field = this.#cells.columnOf(cell)?.field ?? "";
    const draft = this.#drafts.get(row);
    if (!draft) return;
    if (takesTheirs) {
      setValue(cell, draft.before[field] ?? { text: cell.dataset.theirs ?? "" });
      delete draft.cells[field];
      delete draft.before[field];
    }
    clearTrouble(cell);
    draft.waits = row.querySelector("[data-theirs]") !== null;
    if (Object.keys(draft.cells).length === 0) this.#drafts.delete(row);
    this.#keep();
    this.send();
  }

  /** Sends what is ready, a number of rows after the other. */
  send(): void {
    clearTimeout(this.#again);
    void this.#sendReady();
  }

  async #sendReady(): Promise<void> {
    const ready = [...this.#drafts].filter(([, { waits }]) => !waits).slice(0, atOnce);
    if (this.#isSending) return;
    if (ready.length === 0) {
      this.#tell(this.#restingState());
      return;
    }
    this.#isSending = true;
    this.#tell("saving");
    const sent = ready.map(([row, { token, cells }]) => ({
      row,
      body: {
        token,
        cells: { ...cells },
        ...(row.dataset.id !== undefined && {
          record: { id: Number(row.dataset.id), version: Number(row.dataset.version) },
        }),
      },
    }));
    const outcome = await post(this.#address, { rows: sent.map(({ body }) => body) });
    this.#isSending = false;
    if (typeof outcome === "string") {
      this.#tell(outcome);
      const pause = pauses[Math.min(this.#failures++, pauses.length - 1)];
      if (outcome !== "refused") this.#again = setTimeout(() => this.send(), pause);
      return;
    }
    this.#failures = 0;
    for (const [at, { row, body }] of sent.entries())
      this.#take(row, body.cells, outcome[at] ?? {});
    this.#keep();
    await this.#sendReady();
  }

  #restingState(): State {
    if (this.#drafts.size === 0) return "saved";
    return [...this.#drafts.keys()].some((row) => row.querySelector("[data-wrong]"))
      ? "wrong"
      : "waiting";
  }

  /** Takes what became of a row. */
  #take(row: HTMLTableRowElement, sent: Record<string, Value>, answer: Answer): void {
    const draft = this.#drafts.get(row);
    if (!draft) return;
    const same = (field: string) => {
      const now = draft.cells[field];
      return now !== undefined && isSame(now, sent[field] ?? { text: "\0" });
    };
    if (answer.saved !== undefined) {
      for (const field of Object.keys(sent)) {
        if (same(field)) delete draft.cells[field];
        delete draft.before[field];
      }
      this.#show(row, answer.saved, draft);
      draft.token = crypto.randomUUID();
      if (Object.keys(draft.cells).length === 0) this.#drafts.delete(row);
    } else if (answer.changed !== undefined) {
      const others = this.#show(row, answer.changed, draft);
      draft.token = crypto.randomUUID();
      for (const [field, mine] of Object.entries(draft.cells)) {
        const theirs = others[field] ?? { text: "" };
        const cell = this.#cells.ofField(row, field);
        const isTheirs = theirs.text === mine.text;
        const wasTouched = theirs.text !== draft.before[field]?.text;
        draft.before[field] = theirs;
        if (!cell || isTheirs || !wasTouched) continue;
        cell.dataset.theirs = theirs.text;
        cell.dataset.wrong = "";
        cell.setAttribute("aria-invalid", "true");
        draft.waits = true;
      }
    } else if (answer.gone) {
      this.#mark(row, undefined, "gone");
      draft.waits = true;
    } else {
      for (const [field, problem] of Object.entries(answer.errors ?? {}))
        this.#mark(row, this.#cells.ofField(row, field), problem);
      draft.waits = Object.keys(sent).every(same);
    }
  }

  /** Says what is wrong with a cell, or with a row. */
  #mark(row: HTMLTableRowElement, cell: HTMLTableCellElement | undefined, problem: string): void {
    const place = cell ?? row.cells[0];
    if (!place) return;
    place.dataset.wrong = problem;
    place.setAttribute("aria-invalid", "true");
    place.title = problem;
  }

  /** Shows a row as it is saved, but for what was typed since; gives what is saved. */
  #show(row: HTMLTableRowElement, html: string, draft: Draft): Record<string, Value> {
    const saved: Record<string, Value> = {};
    const made = parsedRow(html);
    if (!made) return saved;
    const { id = "", version = "" } = made.dataset;
    Object.assign(row.dataset, { id, version });
    delete row.dataset.new;
    row.cells[0]?.replaceChildren(...(made.cells[0]?.childNodes ?? []));
    clearTrouble(row.cells[0]);
    for (const [at, { field }] of this.#cells.columns.entries()) {
      const [cell, fresh] = [row.cells[at + 1], made.cells[at + 1]];
      if (!cell || !fresh) continue;
      if (field) saved[field] = cellValue(fresh);
      if (field && field in draft.cells) continue;
      clearTrouble(cell);
      cell.classList.remove("unsaved");
      if (cell.querySelector("[data-editor]")) continue;
      if (fresh.dataset.text === undefined) cell.replaceChildren(...fresh.childNodes);
      else setValue(cell, cellValue(fresh));
    }
    return saved;
  }

  get #key(): string {
    return `grid ${location.pathname}${location.search}`;
  }

  /** Keeps what isn't saved in the storage of this window. */
  #keep(): void {
    const drafts = [...this.#drafts].map(([row, { token, before, cells }]) => ({
      id: row.dataset.id,
      version: row.dataset.version,
      token,
      before,
      cells,
    }));
    if (drafts.length > 0) sessionStorage.setItem(this.#key, JSON.stringify(drafts));
    else sessionStorage.removeItem(this.#key);
  }

  /** Takes back what wasn't saved when the page was left. */
  #restore(): void {
    const kept = JSON.parse(sessionStorage.getItem(this.#key) ?? "[]") as (Pick<
      Draft,
      "token" | "before" | "cells"
    > & { id?: string; version?: string })[];
    for (const { id, version, token, before, cells } of kept) {
      const found =
        id && this.#cells.body.querySelector<HTMLTableRowElement>(`tr[data-id="${id}"]`);
      const row = found || (id ? undefined : this.#lastNewRow());
      if (!row) continue;
      if (version !== undefined) row.dataset.version = version;
      for (const [field, value] of Object.entries(cells)) {
        const cell = this.#cells.ofField(row, field);
        if (!cell) continue;
        setValue(cell, value);
        cell.classList.add("unsaved");
      }
      // The same token: what the server has by now isn't saved twice.
      this.#drafts.set(row, { token, before, cells, waits: false });
      if (!id) this.#cells.addNewRow();
    }
    if (kept.length > 0) this.send();
  }

  #lastNewRow(): HTMLTableRowElement | undefined {
    const row = this.#cells.body.rows[this.#cells.height - 1];
    return row?.dataset.new === undefined ? undefined : row;
  }
}

function clearTrouble(cell: HTMLTableCellElement | undefined): void {
  if (!cell) return;
  delete cell.dataset.wrong;
  delete cell.dataset.theirs;
  cell.removeAttribute("aria-invalid");
  cell.removeAttribute("title");
}

function parsedRow(html: string): HTMLTableRowElement | undefined {
  const template = document.createElement("template");
  template.innerHTML = html;
  return template.content.querySelector("tr") ?? undefined;
}

/** The answers of the server; or what kept them away. */
async function post(address: string, body: unknown): Promise<Answer[] | State> {
  try {
    const answer = await fetch(address, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: JSON.stringify(body),
    });
    if (answer.status === 401) return "signedOut";
    if (answer.status >= 500) return "offline";
    if (!answer.ok) return "refused";
    return ((await answer.json()) as { rows: Answer[] }).rows;
  } catch {
    return "offline";
  }
}
