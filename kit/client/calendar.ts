// The records of a calendar are dragged to another day.

let dragged: HTMLElement | undefined;

for (const event of document.querySelectorAll<HTMLElement>("[data-movable]")) {
  event.draggable = true;
  event.addEventListener("dragstart", (start) => {
    start.dataTransfer?.setData("text/plain", event.textContent ?? "");
    dragged = event;
    event.classList.add("dragged");
  });
  event.addEventListener("dragend", () => {
    dragged = undefined;
    event.classList.remove("dragged");
  });
}

for (const day of document.querySelectorAll<HTMLElement>("[data-day]")) {
  day.addEventListener("dragover", (event) => {
    if (!dragged || dragged.closest("[data-day]") === day) return;
    event.preventDefault();
    day.classList.add("over");
  });
  day.addEventListener("dragleave", () => day.classList.remove("over"));
  day.addEventListener("drop", (event) => {
    day.classList.remove("over");
    const { movable = "", id = "", version = "", offset = "0" } = dragged?.dataset ?? {};
    const form = document.querySelector<HTMLFormElement>(
      `form[data-moving="${CSS.escape(movable)}"]`,
    );
    if (!dragged || !form) return;
    event.preventDefault();
    const fill = (name: string, value: string) => {
      const input = form.elements.namedItem(name);
      if (input instanceof HTMLInputElement) input.value = value;
    };
    fill("id", id);
    fill("_version", version);
    fill("to", daysBefore(day.dataset.day ?? "", Number(offset)));
    form.requestSubmit();
  });
}

function daysBefore(day: string, days: number): string {
  return new Date(Date.parse(day) - days * 86_400_000).toISOString().slice(0, 10);
}

export {};
