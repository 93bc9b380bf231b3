// Who else has the form open is asked every now and then; that it was left is told.

/** How often it is asked, in milliseconds. */
const often = 15_000;

for (const note of document.querySelectorAll<HTMLElement>("[data-editing]")) {
  const { editing: address = "" } = note.dataset;
  const ask = async () => {
    if (document.visibilityState !== "visible") return;
    const answer = await fetch(address, { method: "POST" }).catch(() => undefined);
    if (!answer?.ok) return;
    const { said }: { said: string } = await answer.json();
    if (note.textContent !== said) note.textContent = said;
    note.hidden = said === "";
  };
  setInterval(ask, often);
  addEventListener("pagehide", () => navigator.sendBeacon(`${address}?left=yes`));
}

export {};
