// Lookups with too many records to list are completed while one types; a record that was added in another tab is chosen.
import { everywhere } from "./added-rows.ts";
import { complete, type Word } from "./completion.ts";

/** How long it is waited for another letter before the server is asked, in milliseconds. */
const pause = 120;

interface Offer {
  id: number;
  title: string;
}

everywhere<HTMLElement>("[data-lookup]", (field) => {
  const box = field.querySelector<HTMLInputElement>("input[type=search]");
  if (box) completed(field, box);
  const select = field.querySelector("select");
  select?.addEventListener("change", () => opens(field, select.value));
  field.querySelector(".radios")?.addEventListener("change", ({ target }) => {
    if (target instanceof HTMLInputElement) opens(field, target.value);
  });
});

/** The name of a lookup's input. */
function nameOf({ dataset: { prefix = "", lookup = "" } }: HTMLElement): string {
  return prefix + lookup;
}

/** What is typed in the form of a lookup, or in its row of the form, without files. */
function typedAround({ dataset: { prefix = "" } }: HTMLElement, form: HTMLFormElement | null) {
  const body = new FormData();
  for (const [name, value] of new FormData(form ?? undefined)) {
    if (typeof value !== "string" || !name.startsWith(prefix)) continue;
    body.append(name.slice(prefix.length), value);
  }
  return body;
}

/** Completes the titles of records; what is chosen goes into the hidden input, or becomes a ticked box. */
function completed(field: HTMLElement, box: HTMLInputElement): void {
  const { lookup = "", offers: address = "" } = field.dataset;
  const name = nameOf(field);
  const hidden = field.querySelector<HTMLInputElement>(`input[type=hidden][name="${name}"]`);
  const found = new Map<string, Offer>();
  let timer: ReturnType<typeof setTimeout> | undefined;
  const find = (words: string) =>
    new Promise<Word[]>((resolve) => {
      clearTimeout(timer);
      timer = setTimeout(async () => {
        const body = typedAround(field, box.form);
        body.set("_field", lookup);
        body.set("_words", words);
        const answer = await fetch(address, { method: "POST", body }).catch(() => undefined);
        const offers: Offer[] = answer?.ok ? await answer.json() : [];
        for (const offer of offers) found.set(offer.title, offer);
        resolve(offers.map(({ title }) => ({ text: title })));
      }, pause);
    });
  complete(box, {
    offersAll: true,
    partAt: ({ value }) => ({ text: value.trim(), start: 0, end: value.length }),
    find,
    taken: ({ text }) => {
      const offer = found.get(text);
      if (!offer) return;
      if (hidden) choose(field, offer);
      else {
        tick(field, name, offer);
        box.value = "";
      }
    },
  });
  // What is typed is a title that the server looks for, unless it is chosen.
  box.addEventListener("input", () => {
    if (hidden && hidden.value !== "") {
      hidden.value = "";
      opens(field, "");
    }
  });
}

/** Sets a lookup to a record. */
function choose(field: HTMLElement, { id, title }: Offer): void {
  const name = nameOf(field);
  const hidden = field.querySelector<HTMLInputElement>(`input[type=hidden][name="${name}"]`);
  const box = field.querySelector<HTMLInputElement>("input[type=search]");
  const select = field.querySelector<HTMLSelectElement>("select");
  const radios = field.querySelector<HTMLElement>(".radios");
  if (radios) check(radios, name, { id, title });
  if (hidden) hidden.value = String(id);
  if (box && hidden) box.value = title;
  if (select) {
    if (![...select.options].some(({ value }) => value === String(id)))
      select.add(new Option(title, String(id)));
    select.value = String(id);
  }
  opens(field, String(id));
  (select ?? box ?? radios)?.dispatchEvent(new Event("change", { bubbles: true }));
}

/** Adds a button for a record, or checks the one that is there. */
function check(radios: HTMLElement, name: string, { id, title }: Offer): void {
  const all = [...radios.querySelectorAll<HTMLInputElement>("input")];
  const there = all.find(({ value }) => value === String(id));
  if (there) there.checked = true;
  else radios.prepend(tickable("radio", name, { id, title }));
}

/** An input that is checked for a record, with its label. */
function tickable(type: "radio" | "checkbox", name: string, { id, title }: Offer): HTMLElement {
  const line = document.createElement("div");
  line.className = "form-check";
  const input = Object.assign(document.createElement("input"), {
    className: "form-check-input",
    type,
    id: `field-${name}-${id}`,
    name,
    value: String(id),
    checked: true,
  });
  const label = Object.assign(document.createElement("label"), {
    className: "form-check-label",
    htmlFor: input.id,
    textContent: title,
  });
  line.append(input, label);
  return line;
}

/** Adds a ticked box for a record, or ticks the one that is there. */
function tick(field: HTMLElement, name: string, { id, title }: Offer): void {
  const boxes = field.querySelector<HTMLElement>(".lookups");
  const there = field.querySelector<HTMLInputElement>(`input[name="${name}"][value="${id}"]`);
  if (there) there.checked = true;
  else if (boxes) {
    boxes.querySelector(".soft")?.remove();
    const line = tickable("checkbox", name, { id, title });
    boxes.append(line);
    line.dispatchEvent(new Event("change", { bubbles: true }));
  }
}

/** Where the link to the chosen record leads. */
function opens(field: HTMLElement, id: string): void {
  const link = field.querySelector<HTMLAnchorElement>("a[data-open]");
  if (!link) return;
  link.hidden = id === "";
  if (id !== "") link.href = `${link.dataset.open}/${id}`;
}

/** Tabs of this application tell each other which records were added for a lookup. */
const added = new BroadcastChannel("added-records");
let asked: HTMLElement | undefined;

for (const link of document.querySelectorAll<HTMLAnchorElement>("a[data-adds]")) {
  link.addEventListener("click", () => {
    asked = link.closest<HTMLElement>("[data-lookup]") ?? undefined;
  });
}
added.addEventListener("message", ({ data }: MessageEvent<Offer & { path: string }>) => {
  const field = asked;
  const adds = field?.querySelector<HTMLAnchorElement>("a[data-adds]")?.dataset.adds;
  if (!field || adds !== data.path) return;
  asked = undefined;
  if (field.querySelector(".lookups")) tick(field, nameOf(field), data);
  else choose(field, data);
});

const record = document.querySelector<HTMLElement>("[data-added]");
if (record) {
  const { added: id, path, title } = record.dataset;
  added.postMessage({ id: Number(id), path, title });
  setTimeout(() => window.close(), 100);
}
