// A date is typed as the language of the page has it; a button beside it opens the calendar of the browser.
import { everywhere } from "./added-rows.ts";

everywhere<HTMLInputElement>("input[data-pick]", (input) => {
  const button = Object.assign(document.createElement("button"), { type: "button" });
  button.className = "btn btn-outline-secondary pick";
  button.setAttribute("aria-label", input.form?.dataset.pickLabel ?? "");
  button.addEventListener("click", () => pick(input, button));
  const group = document.createElement("div");
  group.className = "input-group";
  input.replaceWith(group);
  group.append(input, button);
});

/** Opens the calendar, which belongs to an input of its own as long as it is open. */
function pick(input: HTMLInputElement, button: HTMLButtonElement): void {
  const { pick: type = "date", pattern = "", min = "", max = "" } = input.dataset;
  const value = readTyped(input.value, pattern, type);
  const calendar = Object.assign(document.createElement("input"), { type, min, max, value });
  calendar.className = "calendar";
  calendar.setAttribute("aria-label", button.getAttribute("aria-label") ?? "");
  calendar.addEventListener("change", () => {
    input.value = typedAs(calendar.value, pattern);
    input.dispatchEvent(new Event("change", { bubbles: true }));
  });
  calendar.addEventListener("blur", () => calendar.remove());
  button.after(calendar);
  calendar.focus();
  calendar.showPicker();
}

/** `2026-05-03T09:30` in the pattern of a language, such as `dd/mm/yyyy`. */
function typedAs(value: string, pattern: string): string {
  const [date = "", time] = value.split("T");
  const [year = "", month = "", day = ""] = date.split("-");
  const typed = pattern.replace("dd", day).replace("mm", month).replace("yyyy", year);
  return [typed, time].filter(Boolean).join(" ");
}

/** What was typed, as the calendar takes it; blank where it isn't a date. */
function readTyped(text: string, pattern: string, pick: string): string {
  const order: string[] = pattern.match(/dd|mm|yyyy/g) ?? [];
  const [first, second, third] = text.match(/\d+/g) ?? [];
  const numbers = [first, second, third];
  const part = (name: string) => numbers[order.indexOf(name)] ?? "";
  if (part("yyyy").length !== 4) return "";
  const date = `${part("yyyy")}-${part("mm").padStart(2, "0")}-${part("dd").padStart(2, "0")}`;
  const time = /(\d{1,2}):(\d{2})\s*$/.exec(text);
  return pick === "date"
    ? date
    : `${date}T${(time?.[1] ?? "00").padStart(2, "0")}:${time?.[2] ?? "00"}`;
}
