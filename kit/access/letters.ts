import { deliverSoon, post } from "../mail/outbox.ts";
import type { Messages } from "../messages/en.ts";
import { messagesFor } from "../messages/messages.ts";
import { accountTables } from "./account-tables.ts";
import type { Account } from "./accounts.ts";
import type { Scope } from "./scope.ts";

/** A letter in the language of whoever gets it. */
type Written = (
  letters: Messages["letters"],
  application: string,
  messages: Messages,
) => { subject: string; text: string };

/** Writes a letter to somebody, and has it sent without waiting for it. Nothing is sent to who has no address. */
export async function writeTo(
  scope: Scope,
  { email, language }: Pick<Account, "email" | "language">,
  written: Written,
): Promise<void> {
  if (email === null) return;
  const messages = messagesFor(language ?? scope.settings.language);
  const letter = written(messages.letters, scope.settings.name, messages);
  await post(accountTables(scope.db), { to: email, ...letter });
  deliverSoon(scope.db);
}

/** Tells somebody what was changed about how they sign in. */
export async function tellChange(
  scope: Scope,
  account: Pick<Account, "email" | "language">,
  what: (changes: Messages["ownChanges"]) => string,
): Promise<void> {
  await writeTo(scope, account, (letters, application, messages) =>
    letters.changed(application, what(messages.ownChanges)),
  );
}
