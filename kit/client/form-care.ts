// The form of a record is saved by Ctrl+Enter, isn't left by mistake, and gives back what was typed when it wasn't saved.
import { addRowsFor } from "./part-rows.ts";

/** Where it is remembered which form was sent last, until a page says that it was saved. */
const sentKey = "typed-sent";

for (const form of document.querySelectorAll<HTMLFormElement>("form.record-form")) care(form);

// A page that says so follows a form that was saved.
if (document.querySelector("main > .alert-success")) {
  const key = sessionStorage.getItem(sentKey);
  if (key) sessionStorage.removeItem(key);
}
sessionStorage.removeItem(sentKey);

function care(form: HTMLFormElement): void {
  // Somebody else may sign in in the same tab.
  const key = `typed:${form.dataset.person}:${location.pathname}${location.search}`;
  const isAgain = document.querySelector("#errors, #conflict") !== null;
  let isChanged = isAgain;
  let isSending = false;
  const keep = () => {
    isChanged = true;
    sessionStorage.setItem(key, JSON.stringify(typedIn(form)));
  };
  form.addEventListener("input", keep);
  form.addEventListener("change", keep);
  form.addEventListener("submit", () => {
    isSending = true;
    sessionStorage.setItem(sentKey, key);
  });
  addEventListener("pageshow", () => {
    isSending = false;
  });
  addEventListener("beforeunload", (event) => {
    if (isChanged && !isSending) event.preventDefault();
  });
  for (const link of form.querySelectorAll<HTMLElement>("[data-cancel]")) {
    link.addEventListener("click", () => {
      isChanged = false;
      sessionStorage.removeItem(key);
    });
  }
  form.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" || !(event.ctrlKey || event.metaKey)) return;
    event.preventDefault();
    form.requestSubmit(form.querySelector<HTMLButtonElement>("button[type=submit]"));
  });
  const before = sessionStorage.getItem(key);
  if (before && !isAgain) offer(form, key, before);
}

/** What is typed into a form, by the names of its fields. */
function typedIn(form: HTMLFormElement): [string, string][] {
  return [...new FormData(form)].flatMap(([name, value]): [string, string][] =>
    typeof value === "string" && !/^_|\._/.test(name) ? [[name, value]] : [],
  );
}

/** Says that something was typed here before, and puts it back if that is wanted. */
function offer(form: HTMLFormElement, key: string, before: string): void {
  const { kept = "", putBack = "", forget = "" } = form.dataset;
  const typed: [string, string][] = JSON.parse(before);
  if (JSON.stringify(typedIn(form)) === before) return;
  const note = document.createElement("div");
  note.className = "alert alert-warning";
  note.setAttribute("role", "status");
  const button = (text: string, act: () => void) => {
    const made = Object.assign(document.createElement("button"), { type: "button" });
    made.className = "btn btn-sm btn-outline-secondary";
    made.textContent = text;
    made.addEventListener("click", () => {
      act();
      note.remove();
    });
    return made;
  };
  note.append(
    `${kept} `,
    button(putBack, () => fill(form, typed)),
    " ",
    button(forget, () => sessionStorage.removeItem(key)),
  );
  form.prepend(note);
}

function fill(form: HTMLFormElement, typed: readonly [string, string][]): void {
  const texts = new Map<string, string[]>();
  for (const [name, value] of typed) texts.set(name, [...(texts.get(name) ?? []), value]);
  addRowsFor(form, [...texts.keys()]);
  for (const input of form.elements) {
    if (input instanceof HTMLInputElement && ["checkbox", "radio"].includes(input.type)) {
      if (!/^_|\._/.test(input.name))
        input.checked = texts.get(input.name)?.includes(input.value) ?? false;
    } else if (
      (input instanceof HTMLInputElement && input.type !== "file") ||
      input instanceof HTMLTextAreaElement ||
      input instanceof HTMLSelectElement
    ) {
      const [text] = texts.get(input.name) ?? [];
      if (text !== undefined) input.value = text;
    }
  }
  form.dispatchEvent(new Event("change", { bubbles: true }));
}
