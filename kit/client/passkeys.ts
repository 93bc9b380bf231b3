// Passkeys are the browser's: their forms only show where it knows them, and are sent with what a passkey answered.
import {
  browserSupportsWebAuthn,
  startAuthentication,
  startRegistration,
} from "@simplewebauthn/browser";

for (const form of document.querySelectorAll<HTMLFormElement>("form[data-passkey]")) {
  if (!browserSupportsWebAuthn()) break;
  form.hidden = false;
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    void answered(form);
  });
}

async function answered(form: HTMLFormElement): Promise<void> {
  const { passkey, options: address = "", failed = "" } = form.dataset;
  const problem = form.querySelector<HTMLElement>("[data-passkey-problem]");
  const say = (text: string) => {
    if (problem) Object.assign(problem, { textContent: text, hidden: text === "" });
  };
  say("");
  try {
    const body = new URLSearchParams(
      [...new FormData(form)].filter(
        (entry): entry is [string, string] => typeof entry[1] === "string",
      ),
    );
    const response = await fetch(address, { method: "POST", body });
    const optionsJSON = await response.json();
    if (!response.ok) return say(optionsJSON.error ?? failed);
    const answer =
      passkey === "create"
        ? await startRegistration({ optionsJSON })
        : await startAuthentication({ optionsJSON });
    const input = form.elements.namedItem("answer");
    if (input instanceof HTMLInputElement) input.value = JSON.stringify(answer);
    form.submit();
  } catch {
    say(failed);
  }
}
