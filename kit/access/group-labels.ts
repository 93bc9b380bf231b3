import { administrators } from "./person.ts";
import type { Scope } from "./scope.ts";

/** The groups of the model that somebody can be put into, by their names, with what people read; administrators last. */
export function groupLabels(scope: Scope): [string, string][] {
  const { groups = {} } = scope.access ?? {};
  return [
    ...Object.entries(groups).map(([name, label]): [string, string] => [
      name,
      scope.translated(label),
    ]),
    [administrators, scope.messages.administrators],
  ];
}
