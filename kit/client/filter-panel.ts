// What a list can be filtered by opens beside it, and stays open on its next pages.

const link = document.querySelector<HTMLAnchorElement>("a[data-panel]");
const key = `panel ${link?.dataset.panel}`;

if (link) {
  link.setAttribute("role", "button");
  link.setAttribute("aria-expanded", "false");
  link.addEventListener("click", (event) => {
    if (event.ctrlKey || event.metaKey || event.shiftKey) return;
    event.preventDefault();
    const open = document.querySelector("#filter-panel");
    if (open) close(open);
    else void show(link, true);
  });
  if (sessionStorage.getItem(key) && window.innerWidth >= 992) void show(link, false);
}

function close(panel: Element): void {
  panel.remove();
  document.body.classList.remove("with-panel");
  link?.setAttribute("aria-expanded", "false");
  sessionStorage.removeItem(key);
}

document.addEventListener("click", (event) => {
  const again = (event.target as Element).closest<HTMLAnchorElement>(
    "#filter-panel [data-recount]",
  );
  if (!again || !link || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  again.setAttribute("aria-disabled", "true");
  void show(again, true);
});

/** Asks for the panel as a page of its own, and takes it out of that. */
async function show({ href }: HTMLAnchorElement, takesFocus: boolean): Promise<void> {
  const answer = await fetch(href);
  if (!answer.ok) {
    location.assign(href);
    return;
  }
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  const panel = page.querySelector<HTMLElement>("#filter-panel");
  const frame = document.querySelector(".list");
  if (!panel || !frame) return;
  document.querySelector("#filter-panel")?.remove();
  frame.before(panel);
  document.body.classList.add("with-panel");
  link?.setAttribute("aria-expanded", "true");
  sessionStorage.setItem(key, "open");
  if (takesFocus) panel.querySelector<HTMLElement>("input:not([type=hidden])")?.focus();
}
