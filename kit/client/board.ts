// The cards of a board are dragged to another column, or moved by their lists at once.

let dragged: HTMLFormElement | undefined;

for (const form of document.querySelectorAll<HTMLFormElement>("form[data-move]")) {
  const list = form.querySelector("select");
  const card = form.closest<HTMLElement>(".card-record");
  if (!list || !card) continue;
  form.querySelector("button")?.classList.add("visually-hidden");
  list.addEventListener("change", () => form.requestSubmit());
  card.draggable = true;
  card.addEventListener("dragstart", (event) => {
    event.dataTransfer?.setData("text/plain", card.querySelector("a")?.href ?? "");
    dragged = form;
    card.classList.add("dragged");
  });
  card.addEventListener("dragend", () => {
    dragged = undefined;
    card.classList.remove("dragged");
  });
}

for (const column of document.querySelectorAll<HTMLElement>("[data-board] [data-value]")) {
  column.addEventListener("dragover", (event) => {
    if (!dragged || dragged.closest("[data-value]") === column) return;
    event.preventDefault();
    column.classList.add("over");
  });
  column.addEventListener("dragleave", () => column.classList.remove("over"));
  column.addEventListener("drop", (event) => {
    column.classList.remove("over");
    const list = dragged?.querySelector("select");
    if (!dragged || !list) return;
    event.preventDefault();
    list.value = column.dataset.value ?? "";
    dragged.requestSubmit();
  });
}

export {};
