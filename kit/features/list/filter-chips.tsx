import type { Scope } from "../../access/scope.ts";
import { type Entity, isReference, isReferences } from "../../entity/entity.ts";
import type { Field } from "../../fields/field.ts";
import { toldComplaint } from "../../formula/complaint.ts";
import { archiveChoice } from "../../store/archive.ts";
import { alongFilters } from "../../store/list/along.ts";
import { titlesOf } from "../../store/list/facets.ts";
import { type FilterPart, filtersOf } from "../../store/list/filters.ts";
import { onlyIn } from "../../store/list/only.ts";
import { firstPage } from "../../store/list/request.ts";
import { labelOfColumn } from "../../ui/value.tsx";
import { filterValue } from "./filter-words.ts";

/** A filter that is in force, and the address without it. */
export interface Chip {
  text: string;
  without: string;
}

/** The filters of an address, each as what people read, with the address of the list without it. */
export async function chipsOf(
  scope: Scope,
  entity: Entity,
  query: URLSearchParams,
): Promise<Chip[]> {
  const chips: Chip[] = [];
  const archived = archiveChoice(entity, query);
  if (entity.archive && archived !== "in use") {
    const means = "value" as const;
    chips.push({
      text: scope.messages.archivedToo[archived],
      without: without(entity, query, { parameter: "archived", value: archived, means }),
    });
  }
  for (const { field: name, parts } of filtersOf(scope, entity, query)) {
    const field = entity.fields[name] as Field;
    const titles =
      isReference(field) || isReferences(field)
        ? await titlesOf(
            scope,
            scope.entities.named(field.to),
            parts.flatMap(({ value }) => (/^\d+$/.test(value) ? [Number(value)] : [])),
          )
        : undefined;
    const label = labelOfColumn(scope, entity, name);
    for (const part of parts) {
      const title = titles?.get(Number(part.value));
      // What is out of sight isn't told apart from what isn't there.
      const value = titles && !title && part.value !== "me" ? part.value : undefined;
      const text =
        value ?? (part.means === "blank" ? "" : filterValue(scope, field, part.value, title));
      chips.push({
        text: chipText(scope, label, text, part),
        without: without(entity, query, part),
      });
    }
  }
  for (const { parameter, value, label, field, target } of alongFilters(scope, entity, query)) {
    const titles = target && (await titlesOf(scope, target, [Number(value)]));
    const title = titles?.get(Number(value));
    const text = field && !(target && !title) ? filterValue(scope, field, value, title) : value;
    chips.push({
      text: scope.messages.isValue(label, text),
      without: without(entity, query, { parameter, value, means: "value" }),
    });
  }
  const only = onlyIn(scope, entity, query);
  if (only) {
    const { messages } = scope;
    const text =
      "complaint" in only.found
        ? messages.isWrongly(
            only.text,
            toldComplaint(only.found.complaint, messages.formulas).message,
          )
        : messages.isOnly(only.text);
    const part = { parameter: "only", value: query.get("only") ?? "", means: "value" } as const;
    chips.push({ text, without: without(entity, query, part) });
  }
  return chips;
}

function chipText({ messages }: Scope, label: string, value: string, part: FilterPart): string {
  switch (part.means) {
    case "blank":
      return messages.isMissing(label);
    case "from":
      return messages.isFrom(label, value);
    case "to":
      return messages.isTo(label, value);
    default:
      return messages.isValue(label, value);
  }
}

function without(
  { path }: Entity,
  query: URLSearchParams,
  { parameter, value }: FilterPart,
): string {
  const next = new URLSearchParams(query);
  for (const name of Object.keys(firstPage)) next.delete(name);
  next.delete(parameter, value);
  const text = next.toString();
  return text ? `${path}?${text}` : path;
}

/** The filters in force, each of which a click takes out. */
export function Chips({ scope, chips }: { scope: Scope; chips: readonly Chip[] }) {
  if (chips.length === 0) return null;
  return (
    <ul class="chips">
      {chips.map(({ text, without: href }) => (
        <li>
          <a href={href} aria-label={scope.messages.withoutFilter(text)}>
            {text} <span aria-hidden="true">×</span>
          </a>
        </li>
      ))}
    </ul>
  );
}
