// The box at the head of each page: `/` leads to it, and what is found stands below it while one types.

const box = document.querySelector<HTMLInputElement>("#find");
const finds = document.querySelector<HTMLElement>(".finds");

if (box && finds) {
  document.addEventListener("keydown", (event) => {
    const { target } = event;
    const isTyping =
      target instanceof HTMLElement && target.closest("input, textarea, select, [contenteditable]");
    if (event.key !== "/" || isTyping || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    box.focus();
  });
  let waiting: ReturnType<typeof setTimeout> | undefined;
  box.addEventListener("input", () => {
    clearTimeout(waiting);
    waiting = setTimeout(() => void lookUp(box.value.trim(), finds), 150);
  });
  const around = box.closest("search");
  around?.addEventListener("keydown", (event) => {
    const { key } = event as KeyboardEvent;
    if (key === "Escape") {
      finds.hidden = true;
      box.focus();
    }
    if (key !== "ArrowDown" && key !== "ArrowUp") return;
    const stops: HTMLElement[] = [box, ...finds.querySelectorAll("a")];
    const at = stops.indexOf(document.activeElement as HTMLElement);
    const next = stops[at + (key === "ArrowDown" ? 1 : -1)];
    if (!next || finds.hidden) return;
    event.preventDefault();
    next.focus();
  });
  around?.addEventListener("focusout", (event) => {
    const { relatedTarget } = event as FocusEvent;
    if (!(relatedTarget instanceof Node && around.contains(relatedTarget))) finds.hidden = true;
  });
}

let asked = 0;

/** Shows what is found, unless something else was typed meanwhile. */
async function lookUp(words: string, finds: HTMLElement): Promise<void> {
  const turn = ++asked;
  finds.hidden = true;
  if (words.length < 2) return;
  const answer = await fetch(`/-/find?${new URLSearchParams({ words })}`);
  if (!answer.ok || turn !== asked) return;
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  const found = page.querySelector("#found");
  if (!found || turn !== asked || found.childElementCount === 0) return;
  finds.replaceChildren(...found.children);
  finds.hidden = false;
}
