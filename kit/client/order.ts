// Records are put in order by dragging, and a step by its button leaves the page where it is.

const list = document.querySelector<HTMLElement>("[data-order]");
let dragged: HTMLElement | undefined;

if (list) {
  list.addEventListener("submit", (event) => {
    const { submitter } = event;
    const form = event.target as HTMLFormElement;
    if (!(submitter instanceof HTMLButtonElement)) return;
    event.preventDefault();
    const record = form.closest<HTMLElement>("li")?.dataset.record ?? "";
    void put(list, record, submitter.name, submitter.value, submitter.name);
  });
  list.addEventListener("dragstart", (event) => {
    const line = lineOf(event);
    if (!line) return;
    dragged = line;
    line.classList.add("dragged");
    event.dataTransfer?.setData("text/plain", line.textContent ?? "");
  });
  list.addEventListener("dragend", () => {
    dragged?.classList.remove("dragged");
    dragged = undefined;
    unmark(list);
  });
  list.addEventListener("dragover", (event) => {
    const line = lineOf(event);
    if (!dragged || !line || line === dragged) return;
    event.preventDefault();
    unmark(list);
    line.classList.add(isUpper(line, event) ? "over-before" : "over-after");
  });
  list.addEventListener("drop", (event) => {
    const line = lineOf(event);
    if (!dragged || !line || line === dragged) return;
    event.preventDefault();
    const side = isUpper(line, event) ? "before" : "after";
    void put(list, dragged.dataset.record ?? "", side, line.dataset.record ?? "");
  });
  makeDraggable(list);
}

function lineOf({ target }: Event): HTMLElement | undefined {
  return (target as Element).closest?.<HTMLElement>("[data-record]") ?? undefined;
}

function isUpper(line: HTMLElement, { clientY }: DragEvent): boolean {
  const { top, height } = line.getBoundingClientRect();
  return clientY < top + height / 2;
}

function unmark(from: HTMLElement): void {
  for (const line of from.children) line.classList.remove("over-before", "over-after");
}

function makeDraggable(those: HTMLElement): void {
  for (const line of those.querySelectorAll<HTMLElement>("[data-record]")) line.draggable = true;
  for (const link of those.querySelectorAll("a")) link.draggable = false;
}

/** Asks for the record to be put beside another one, and shows the order that came of it. */
async function put(
  shown: HTMLElement,
  record: string,
  side: string,
  beside: string,
  focused?: string,
): Promise<void> {
  const body = new URLSearchParams({ record, [side]: beside });
  const answer = await fetch(location.href, { method: "POST", body }).catch(() => undefined);
  const html = await answer?.text();
  const page = new DOMParser().parseFromString(html ?? "", "text/html");
  const next = page.querySelector<HTMLElement>("[data-order]");
  if (!answer?.ok || !next) {
    location.reload();
    return;
  }
  shown.replaceChildren(...next.children);
  makeDraggable(shown);
  const line = shown.querySelector(`[data-record="${CSS.escape(record)}"]`);
  const buttons = [...(line?.querySelectorAll<HTMLButtonElement>("button:not(:disabled)") ?? [])];
  if (focused) (buttons.find(({ name }) => name === focused) ?? buttons[0])?.focus();
}

export {};
