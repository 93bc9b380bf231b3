import type { Context } from "hono";
import { actions } from "../../access/action.ts";
import { NotSignedIn, type Scope } from "../../access/scope.ts";
import type { Entity } from "../../entity/entity.ts";
import { apiPath, openApiPath, referencePath } from "../../http/problem.ts";
import { originFor } from "../../http/public-address.ts";
import type { EntityFeatures, Feature, Route } from "../feature.ts";
import { apiAddress } from "./address.ts";
import { manyChanges } from "./changes.ts";
import { openApi } from "./openapi.ts";
import { showReference } from "./reference.tsx";

/** What an application has for programs besides the records of each entity; nothing, where no entity has those. */
export function forPrograms(all: readonly EntityFeatures[]): Feature {
  const entities = all.flatMap(({ entity, features }) => {
    const list = apiAddress(entity);
    const isThere = features.some(({ routes }) => routes.some(({ path }) => path === list));
    return isThere ? [entity] : [];
  });
  if (entities.length === 0) return { routes: [] };
  /** Nobody learns what there is where visitors may do nothing. */
  const forSomebody = ({ answer, ...route }: Route): Route => ({
    ...route,
    answer: (c, scope) => {
      const may = entities.some((entity) => actions.some((action) => scope.may(action, entity)));
      if (scope.access && !scope.person && !may) throw new NotSignedIn();
      return answer(c, scope);
    },
  });
  const described = (c: Context, scope: Scope) => openApi(scope, entities, originFor(c.req.url));
  const routes: Route[] = [
    {
      method: "GET",
      path: apiPath,
      needs: "nothing",
      answer: (c, scope) => c.json(indexOf(scope, entities)),
    },
    {
      method: "GET",
      path: openApiPath,
      needs: "nothing",
      answer: (c, scope) => c.json(described(c, scope)),
    },
    {
      method: "GET",
      path: referencePath,
      needs: "nothing",
      answer: (c, scope) => showReference(c, scope, described(c, scope)),
    },
    ...manyChanges(entities).routes,
  ];
  return { routes: routes.map(forSomebody) };
}

/** Where the person finds what. */
function indexOf(scope: Scope, entities: readonly Entity[]) {
  const seen = entities.filter((entity) => scope.may("see", entity));
  return {
    name: scope.settings.name,
    lists: seen.map((entity) => ({
      name: scope.namesOf(entity).headings,
      href: encodeURI(apiAddress(entity)),
    })),
    description: openApiPath,
    reference: referencePath,
  };
}
