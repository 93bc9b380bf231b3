import type { Scope } from "../access/scope.ts";
import { longestSearch } from "../store/list/request.ts";

export const findPath = "/-/find";

/** Looks for words everywhere, from the head of each page. */
export function FindBox({ scope, at }: { scope: Scope; at: { path: string; search: string } }) {
  const { messages, entities } = scope;
  if (!entities.all.some((entity) => scope.may("see", entity))) return null;
  const words = at.path === findPath ? new URLSearchParams(at.search).get("words") : null;
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
          value={words?.slice(0, longestSearch)}
          placeholder={messages.findShort}
          autocomplete="off"
          aria-keyshortcuts="/"
        />
      </form>
      <div class="finds" hidden={true} />
    </search>
  );
}
