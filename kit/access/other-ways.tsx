import { passkeyPath, providerPath } from "./addresses.ts";
import { PasskeyAnswer } from "./passkey-answer.tsx";
import { providerName } from "./provider.ts";
import type { Scope } from "./scope.ts";

/** Ways to sign in besides a password: a passkey, where the browser knows them, and the provider, where there is one. */
export function OtherWays({ scope: { messages }, to }: { scope: Scope; to: string }) {
  const provider = providerName();
  return (
    <div class="narrow-form other-ways">
      {provider && (
        <a class="btn btn-outline-primary" href={`${providerPath}?${new URLSearchParams({ to })}`}>
          {messages.signInBy(provider)}
        </a>
      )}
      <form
        method="post"
        action={passkeyPath}
        data-passkey="get"
        data-options={`${passkeyPath}/options`}
        data-failed={messages.passkeyFailed}
        hidden
      >
        <input type="hidden" name="to" value={to} />
        <PasskeyAnswer />
        <button class="btn btn-outline-primary" type="submit">
          {messages.usePasskey}
        </button>
      </form>
    </div>
  );
}
