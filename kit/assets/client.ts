// Everything works without this file; it only makes some of it smoother.

// The first error gets the focus, so that it is read out and can be reached with one key.
document.querySelector<HTMLElement>("#errors")?.focus();

// A second press of a button doesn't save twice.
for (const form of document.querySelectorAll<HTMLFormElement>("form[method=post]")) {
  form.addEventListener("submit", (event) => {
    if (form.dataset.sent) event.preventDefault();
    form.dataset.sent = "yes";
  });
}
addEventListener("pageshow", () => {
  for (const form of document.querySelectorAll("form")) delete form.dataset.sent;
});

// While the application is being developed, a page reloads itself when there is a newer version.
const reload = document.querySelector<HTMLElement>("[data-reload]")?.dataset.reload;
if (reload) {
  let seen: string | undefined;
  new EventSource(reload).addEventListener("message", ({ data }) => {
    if (seen !== undefined && seen !== data) location.reload();
    seen = data;
  });
}
