import type { Scope } from "../access/scope.ts";

/** The name of an input that people don't see, and robots fill in. */
export const trapInput = "_homepage";

/** That input; somebody who meets it all the same reads what to do. */
export function Trap({ scope }: { scope: Scope }) {
  return (
    <div class="trap" aria-hidden="true">
      <label for="trap">{scope.messages.embedded.trap}</label>
      <input id="trap" type="text" name={trapInput} tabindex={-1} autocomplete="off" />
    </div>
  );
}
