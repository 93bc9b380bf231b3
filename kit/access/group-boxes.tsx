import type { SentForm } from "../http/sent-form.ts";
import { groupLabels } from "./group-labels.ts";
import type { Scope } from "./scope.ts";

/** The groups that were ticked. */
export function chosenGroups(scope: Scope, data: SentForm): string[] {
  const sent = new Set(data.getAll("groups").map(String));
  return groupLabels(scope).flatMap(([name]) => (sent.has(name) ? [name] : []));
}

/** A box for each group. */
export function GroupBoxes({ scope, chosen }: { scope: Scope; chosen: readonly string[] }) {
  return (
    <fieldset class="mb-3">
      <legend class="form-label fs-6">{scope.messages.groups}</legend>
      {groupLabels(scope).map(([name, label]) => (
        <div class="form-check">
          <input
            class="form-check-input"
            type="checkbox"
            id={`group-${name}`}
            name="groups"
            value={name}
            checked={chosen.includes(name)}
          />
          <label class="form-check-label" for={`group-${name}`}>
            {label}
          </label>
        </div>
      ))}
    </fieldset>
  );
}
