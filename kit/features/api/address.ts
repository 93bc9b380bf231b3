import type { Entity } from "../../entity/entity.ts";
import { apiPath } from "../../http/problem.ts";

/** Where programs find the records of an entity. */
export function apiAddress({ path }: Pick<Entity, "path">): string {
  return `${apiPath}${path}`;
}
