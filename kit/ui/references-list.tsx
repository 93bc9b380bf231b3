import type { Scope } from "../access/scope.ts";
import type { ReferencingRecords } from "../store/referenced-by.ts";
import { RecordLinks } from "./record-link.tsx";

/** What refers to a record: how many of each kind, and the first of them. */
export function References({ scope, to }: { scope: Scope; to: readonly ReferencingRecords[] }) {
  return (
    <ul class="mb-0">
      {to.map(({ one, many, count, first }) => (
        <li>
          {scope.format.count(count, one, many)}: <RecordLinks to={first} />
          {count > first.length && scope.messages.andMore}
        </li>
      ))}
    </ul>
  );
}
