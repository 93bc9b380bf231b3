// Rows of parts are added to a form, and taken out of it, without a request.
import { tellAdded } from "./added-rows.ts";

for (const section of document.querySelectorAll<HTMLElement>(".part-rows")) {
  const button = section.querySelector<HTMLButtonElement>("button[name=_row]");
  if (!button) continue;
  button.type = "button";
  button.addEventListener("click", () => {
    const row = addRow(section);
    row?.querySelector<HTMLElement>("input:not([type=hidden]), select, textarea")?.focus();
  });
}

document.addEventListener("change", ({ target }) => {
  if (!(target instanceof HTMLInputElement) || target.dataset.remove === undefined) return;
  target.closest("[data-row]")?.toggleAttribute("data-removed", target.checked);
});

/** Adds a blank row below the others, and returns it; undefined where none can be added. */
function addRow(section: HTMLElement): HTMLElement | undefined {
  const { rows: name = "" } = section.dataset;
  const template = section.querySelector<HTMLTemplateElement>("template[data-blank]");
  const table = section.querySelector("table");
  const body = table?.tBodies[0];
  if (!template || !table || !body) return undefined;
  const there = [...body.rows].map((row) => row.dataset.row);
  let at = 1;
  while (there.includes(`${name}.new${at}.`)) at++;
  const copy = document.createElement("tbody");
  copy.innerHTML = template.innerHTML.replaceAll(`${name}.new0.`, `${name}.new${at}.`);
  const [row] = copy.rows;
  if (!row) return undefined;
  table.hidden = false;
  body.append(row);
  tellAdded(row);
  return row;
}

/** Adds rows until there are those that inputs of some names belong to. */
export function addRowsFor(form: HTMLFormElement, names: readonly string[]): void {
  for (const section of form.querySelectorAll<HTMLElement>(".part-rows")) {
    const { rows: name = "" } = section.dataset;
    const begins = `${name}.new`;
    const wanted = names
      .filter((each) => each.startsWith(begins))
      .map((each) => Number.parseInt(each.slice(begins.length), 10));
    for (let at = 1; at <= Math.min(Math.max(0, ...wanted), 200); at++) {
      if (!section.querySelector(`[data-row="${begins}${at}."]`)) addRow(section);
    }
  }
}
