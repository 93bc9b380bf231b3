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

export {};
