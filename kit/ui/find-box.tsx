import type { Scope } from "../access/scope.ts";

export const findPath = "/-/find";

/** Looks for words everywhere, from the head of each page. */
export function FindBox({ scope, path }: { scope: Scope; path: string }) {
  const { messages, entities } = scope;
  if (!entities.all.some((entity) => scope.may("see", entity))) return null;
  return (
    <search class="find">
      <form method="get" action={findPath}>
        <label class="visually-hidden" for="find">
          {messages.findAnywhere}
        </label>
        <input
          class="form-control form-control-sm"
          type="search"
          id="find"
          name="words"
          placeholder={path === findPath ? "" : messages.findShort}
          autocomplete="off"
          aria-keyshortcuts="/"
        />
      </form>
      <div class="finds" hidden={true} />
    </search>
  );
}
