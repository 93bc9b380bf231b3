import { organisationsPath } from "../access/addresses.ts";
import { NotSignedIn, type Scope } from "../access/scope.ts";
import type { Feature } from "../features/feature.ts";
import { countsOf } from "../store/counts.ts";
import { showPage } from "../ui/layout.tsx";

/** The start: the entities, and how many records of each there are. */
export const home: Feature = {
  routes: [
    {
      method: "GET",
      path: "/",
      needs: "nothing",
      answer: async (c, scope) => {
        const { access, person } = scope;
        if (access && !person && !seesAnything(scope)) throw new NotSignedIn();
        if (access?.organisations && person && !person.organisation) {
          return c.redirect(organisationsPath, 302);
        }
        const seen = scope.entities.all.filter(
          (entity) => scope.linksOf(entity, "menu").length > 0,
        );
        return showPage(c, scope, <HomePage scope={scope} counts={await countsOf(scope, seen)} />);
      },
    },
  ],
};

function seesAnything(scope: Scope): boolean {
  return scope.entities.all.some((entity) => scope.may("see", entity));
}

function HomePage({ scope, counts }: { scope: Scope; counts: ReadonlyMap<string, number> }) {
  const { messages, format, entities } = scope;
  return (
    <>
      <h1>{scope.settings.name}</h1>
      <ul class="tiles">
        {entities.all
          .filter(({ table }) => counts.has(table))
          .map((entity) => (
            <li class="tile">
              <a class="stretched-link" href={entity.path}>
                {scope.namesOf(entity).headings}
              </a>
              <span class="count">{format.number(counts.get(entity.table) ?? 0)}</span>
              {scope.offers("/new", entity) && (
                <a
                  class="add"
                  href={`${entity.path}/new`}
                  aria-label={messages.newRecord(scope.namesOf(entity).one)}
                >
                  {messages.newShort}
                </a>
              )}
            </li>
          ))}
      </ul>
    </>
  );
}
