import type { Entity } from "../../entity/entity.ts";
import { apiPath } from "../../http/problem.ts";

/** Where programs find the records of an entity. */
export function apiAddress({ path }: Pick<Entity, "path">): string {
  return `${apiPath}${path}`;
}

/** Where they find all of them at once, one a line. */
export function linesAddress(entity: Pick<Entity, "path">): string {
  return `${apiAddress(entity)}.ndjson`;
}
