// While the application is being developed, a page reloads itself when there is a newer version.
const reload = document.querySelector<HTMLElement>("[data-reload]")?.dataset.reload;
if (reload) {
  let seen: string | undefined;
  new EventSource(reload).addEventListener("message", ({ data }) => {
    if (seen !== undefined && seen !== data) location.reload();
    seen = data;
  });
}

export {};
