// A form with conditional fields asks what to show whenever something changes.
for (const form of document.querySelectorAll<HTMLFormElement>("form[data-state]")) {
  const { state: address = "" } = form.dataset;
  const fields = [...form.querySelectorAll<HTMLElement>("[data-field]")];
  const inputsOf = (field: HTMLElement) =>
    field.querySelectorAll<HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement>(
      "input, select, textarea",
    );

  /** What the form doesn't ask for isn't checked and isn't sent, only named, so that it stays as it is. */
  const show = (field: HTMLElement, shown: boolean) => {
    const name = field.dataset.field ?? "";
    field.dataset.shown = shown ? "yes" : "no";
    field.hidden = !shown;
    for (const input of inputsOf(field)) input.disabled = !shown;
    form.querySelector(`input[name="_unasked"][value="${name}"]`)?.remove();
    if (shown) return;
    const unasked = Object.assign(document.createElement("input"), {
      type: "hidden",
      name: "_unasked",
      value: name,
    });
    form.append(unasked);
  };

  const need = (name: string, needed: boolean) => {
    const input = form.querySelector<HTMLInputElement>(`#field-${CSS.escape(name)}`);
    const mark = form.querySelector<HTMLElement>(`[data-needed="${name}"]`);
    if (input && "required" in input) input.required = needed;
    if (mark) mark.hidden = !needed;
  };

  /** All that is typed, what is hidden by now included. */
  const typed = () => {
    const hidden = fields.filter((field) => field.hidden).flatMap((field) => [...inputsOf(field)]);
    for (const input of hidden) input.disabled = false;
    const data = new FormData(form);
    for (const input of hidden) input.disabled = true;
    // Conditions ask whether there are files, and no more: the key of none stands for them.
    for (const [name, value] of [...data]) {
      if (typeof value === "string") continue;
      data.delete(name);
      if (value.size > 0) data.append(name, "0".repeat(32));
    }
    return data;
  };

  let latest = 0;
  form.addEventListener("change", async () => {
    const asked = ++latest;
    const answer = await fetch(address, { method: "POST", body: typed() }).catch(() => undefined);
    if (!answer?.ok || asked !== latest) return;
    const state: Record<"shown" | "needed", Record<string, boolean>> = await answer.json();
    for (const field of fields) show(field, state.shown[field.dataset.field ?? ""] ?? true);
    for (const [name, needed] of Object.entries(state.needed)) need(name, needed);
  });
  for (const field of fields) show(field, field.dataset.shown !== "no");
}

export {};
