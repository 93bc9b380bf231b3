import type { SentForm } from "../http/sent-form.ts";
import { allGroups } from "./own-groups.ts";
import type { Scope } from "./scope.ts";

/** The groups that were ticked. */
export async function chosenGroups(scope: Scope, data: SentForm): Promise<string[]> {
  const sent = new Set(data.getAll("groups").map(String));
  return (await allGroups(scope)).flatMap(([name]) => (sent.has(name) ? [name] : []));
}

/** A box for each group, by its name and label. */
export function GroupBoxes({
  scope,
  groups,
  chosen,
}: {
  scope: Scope;
  groups: readonly (readonly [string, string])[];
  chosen: readonly string[];
}) {
  return (
    <fieldset class="mb-3">
      <legend class="form-label fs-6">{scope.messages.groups}</legend>
      {groups.map(([name, label]) => (
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
