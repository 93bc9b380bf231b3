import { WideTable } from "../ui/wide-table.tsx";
import type { Scope } from "./scope.ts";
import type { OwnToken } from "./tokens.ts";

/** The tokens of a person, each with a button that revokes it; `action` is the address to which it sends. */
export function TokenTable({
  scope,
  tokens,
  action,
}: {
  scope: Scope;
  tokens: readonly OwnToken[];
  action: string;
}) {
  const { messages, format, now } = scope;
  const words = messages.api.tokens;
  return (
    <WideTable label={words.title}>
      <table class="table">
        <thead>
          <tr>
            <th scope="col">{words.name}</th>
            <th scope="col">{words.scope}</th>
            <th scope="col">{words.made}</th>
            <th scope="col">{words.until}</th>
            <th scope="col">{words.used}</th>
            <th scope="col">
              <span class="visually-hidden">{words.revoke}</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {tokens.map((token) => (
            <tr>
              <td>{token.name}</td>
              <td>{narrowingText(scope, token)}</td>
              <td>{format.dateTime(token.made_at)}</td>
              <td>
                {token.until === null
                  ? words.never
                  : token.until <= now
                    ? words.expired
                    : format.dateTime(token.until)}
              </td>
              <td>
                {token.used_at === null ? words.unused : format.dateTime(token.used_at)}{" "}
                <span class="soft small">{token.used_from}</span>
              </td>
              <td class="text-end">
                <form method="post" action={action}>
                  <input type="hidden" name="token" value={token.id} />
                  <button
                    class="btn btn-outline-danger btn-sm"
                    type="submit"
                    name="do"
                    value="revoke"
                    aria-label={words.revokeNamed(token.name)}
                  >
                    {words.revoke}
                  </button>
                </form>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </WideTable>
  );
}

/** What a token may do, in words: `Hives: see, add`. */
function narrowingText(scope: Scope, { may }: OwnToken): string {
  const { messages, entities } = scope;
  if (!may) return messages.api.tokens.whole;
  return Object.entries(may)
    .map(([table, its]) => {
      const entity = entities.ofTable(table);
      const name = entity ? scope.namesOf(entity).headings : table;
      return `${name}: ${its.map((action) => messages.actions[action].toLowerCase()).join(", ")}`;
    })
    .join("; ");
}
