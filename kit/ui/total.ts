import type { Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import type { Total } from "../store/list/list.ts";

/** How many rows there are, in words: all of them, about how many, or that there are more than were counted. */
export function totalText(scope: Scope, entity: Entity, { count, more, about }: Total): string {
  const { format, messages } = scope;
  const { one, many } = scope.namesOf(entity);
  if (!more) return format.count(count, one, many);
  if (about === undefined) return messages.moreThan(format.count(count, one, many));
  const digits = Math.max(1, 10 ** (Math.floor(Math.log10(about)) - 1));
  return messages.about(format.count(Math.round(about / digits) * digits, one, many));
}
