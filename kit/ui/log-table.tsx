import type { Child } from "hono/jsx";
import type { LoggedAction } from "../access/action.ts";
import type { Scope } from "../access/scope.ts";
import { type Entity, isReference, isReferences } from "../entity/entity.ts";
import type { Link } from "../entity/links.ts";
import { typeOf } from "../fields/types.ts";
import type { Entry, Held } from "../store/audit.ts";
import { differencesIn, type LogLinks, linkKey } from "../store/log-links.ts";
import { RecordLink, RecordLinks } from "./record-link.tsx";
import { labelOfColumn } from "./value.tsx";
import { WideTable } from "./wide-table.tsx";

/** Entries of the log: when, who, from where, what; with the fields of records before and after. */
export function LogTable({
  scope,
  entries,
  links,
  ofRecords = false,
}: {
  scope: Scope;
  entries: readonly Entry[];
  links: LogLinks;
  /** Whether the record of each entry is told. */
  ofRecords?: boolean;
}) {
  const { messages, format } = scope;
  return (
    <WideTable label={messages.log}>
      <table class="table log">
        <thead>
          <tr>
            <th scope="col">{messages.when}</th>
            <th scope="col">{messages.who}</th>
            <th scope="col">{messages.what}</th>
            <th scope="col">{messages.fields}</th>
          </tr>
        </thead>
        <tbody>
          {entries.map((entry) => (
            <tr>
              <td>{format.dateTime(entry.made_at)}</td>
              <td>
                {entry.account_name ?? messages.nobody}
                {ofRecords && <div class="soft small">{entry.address}</div>}
              </td>
              <td>
                {messages.logged[entry.action as LoggedAction] ?? entry.action}
                {ofRecords && <Subject scope={scope} entry={entry} links={links} />}
              </td>
              <td>
                <Differing scope={scope} entry={entry} links={links} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </WideTable>
  );
}

/** The record that an entry is about. */
function Subject({ scope, entry, links }: { scope: Scope; entry: Entry; links: LogLinks }) {
  const { entity_table: table, record_id: id, record_title: title } = entry;
  const entity = table === null ? undefined : scope.entities.ofTable(table);
  if (!entity || id === null) return <EventDetails entry={entry} />;
  const link = links.get(linkKey(entity.table, id));
  return (
    <div>
      <span class="soft">{scope.namesOf(entity).heading}</span>{" "}
      {link ? <RecordLink to={link} /> : title}
    </div>
  );
}

function EventDetails({ entry }: { entry: Entry }) {
  const details = Object.values(JSON.parse(entry.details) as Record<string, unknown>);
  return <div class="soft small">{details.flat().map(String).join(", ")}</div>;
}

function Differing({ scope, entry, links }: { scope: Scope; entry: Entry; links: LogLinks }) {
  const entity =
    entry.entity_table === null ? undefined : scope.entities.ofTable(entry.entity_table);
  if (!entity) return null;
  const fields = Object.entries(differencesIn(entry)).filter(
    ([name]) => !scope.isHidden(entity, name),
  );
  const shown = (name: string, held: Held) => shownHeld(scope, entity, name, held, links);
  return (
    <ul class="differences">
      {fields.map(([name, [before, after]]) => (
        <li>
          {labelOfColumn(scope, entity, name)}:{" "}
          {entry.action === "add" ? null : <del>{shown(name, before)}</del>}
          {entry.action === "change" && " → "}
          {entry.action === "delete" ? null : <ins>{shown(name, after)}</ins>}
        </li>
      ))}
    </ul>
  );
}

/** What a field held, as pages show it. Records that the person may not see are told by nothing. */
export function shownHeld(
  scope: Scope,
  entity: Entity,
  name: string,
  held: Held,
  links: LogLinks,
): Child {
  const field = entity.fields[name];
  const { none } = scope.messages;
  if (!field) return String(held ?? none);
  if (isReference(field) || isReferences(field)) {
    const ids = [held].flat().filter((id): id is number => typeof id === "number");
    const found = ids.flatMap((id): Link | Link[] => links.get(linkKey(field.to, id)) ?? []);
    return found.length > 0 ? <RecordLinks to={found} /> : none;
  }
  return held === null ? none : typeOf(field).show(held, field, scope);
}
