// A colour can be chosen from a few, or by the picker of the browser, besides being typed.
import { everywhere } from "./added-rows.ts";

/** Paints that people have for their things. */
const swatches = [
  "#ffffff",
  "#ffd54a",
  "#f28c28",
  "#d94f3d",
  "#b04a8f",
  "#3c8dbc",
  "#3f9c5f",
  "#8a6d4b",
  "#222222",
];

everywhere<HTMLInputElement>("input[data-color]", (input) => {
  const row = document.createElement("div");
  row.className = "swatches";
  const set = (color: string) => {
    input.value = color;
    input.dispatchEvent(new Event("change", { bubbles: true }));
  };
  const picker = Object.assign(document.createElement("input"), { type: "color" });
  const name = input.labels?.[0]?.textContent?.trim() ?? "";
  const show = () => {
    if (/^#[0-9a-f]{6}$/i.test(input.value)) picker.value = input.value;
    // Called otherwise than the field itself.
    picker.setAttribute("aria-label", `${name}: ${picker.value}`);
  };
  show();
  picker.addEventListener("change", () => set(picker.value));
  input.addEventListener("change", show);
  row.append(picker, ...swatches.map((color) => swatch(color, set)));
  input.after(row);
});

function swatch(color: string, set: (color: string) => void): HTMLButtonElement {
  const button = Object.assign(document.createElement("button"), { type: "button" });
  button.className = "swatch-button";
  button.setAttribute("aria-label", color);
  button.style.backgroundColor = color;
  button.addEventListener("click", () => set(color));
  return button;
}
