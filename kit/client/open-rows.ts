// A row is opened to what belongs to it, and closed, without loading the whole page again.

document.addEventListener("click", async (event) => {
  const link = (event.target as Element | null)?.closest<HTMLAnchorElement>("a[data-opens]");
  const section = link?.closest<HTMLElement>("section.related");
  if (!link || !section || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  const answer = await fetch(link.href).catch(() => undefined);
  const page = answer?.ok
    ? new DOMParser().parseFromString(await answer.text(), "text/html")
    : undefined;
  const fresh = page?.getElementById(section.id);
  if (!fresh) {
    location.href = link.href;
    return;
  }
  const name = link.textContent?.slice(1);
  section.replaceWith(fresh);
  history.replaceState(null, "", link.href);
  for (const each of fresh.querySelectorAll<HTMLElement>("a[data-opens]"))
    if (each.textContent?.slice(1) === name) each.focus();
});

export {};
