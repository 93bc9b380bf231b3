import { organisationsPath } from "../access/addresses.ts";
import { NotSignedIn, type Scope } from "../access/scope.ts";
import { dashboardOf } from "../features/dashboard/dashboard.tsx";
import type { Dashboard } from "../features/dashboard/tile.ts";
import type { Feature } from "../features/feature.ts";
import { countsOf, mostCounted } from "../store/counts.ts";
import { showPage } from "../ui/layout.tsx";
import { FirstSteps } from "./first-steps.tsx";

/** The start: what the dashboard shows, and the entities with the number of their records. */
export const home = (dashboard: Dashboard): Feature => ({
  routes: [
    {
      method: "GET",
      path: "/",
      needs: "nothing",
      records: true,
      answer: async (c, scope) => {
        const { access, person } = scope;
        if (access && !person && !seesAnything(scope)) throw new NotSignedIn();
        if (access?.organisations && person && !person.organisation) {
          return c.redirect(organisationsPath, 302);
        }
        const seen = scope.entities.all.filter(
          (entity) => scope.linksOf(entity, "menu").length > 0,
        );
        const counts = await countsOf(scope, seen);
        // Before there are any records, there is nothing to tell of them.
        const isEmpty = [...counts.values()].every((count) => count === 0);
        const { searchParams } = new URL(c.req.url);
        const content = (
          <>
            <h1>{scope.settings.name}</h1>
            {isEmpty ? (
              <FirstSteps scope={scope} />
            ) : (
              await dashboardOf(scope, dashboard, searchParams)
            )}
            <Counts scope={scope} counts={counts} />
          </>
        );
        return showPage(c, scope, content);
      },
    },
  ],
});

function seesAnything(scope: Scope): boolean {
  return scope.entities.all.some((entity) => scope.may("see", entity));
}

function Counts({ scope, counts }: { scope: Scope; counts: ReadonlyMap<string, number> }) {
  const { messages, entities } = scope;
  return (
    <section aria-label={messages.dashboard.allRecords}>
      <ul class="tiles">
        {entities.all
          .filter(({ table }) => counts.has(table))
          .map((entity) => (
            <li class="tile">
              <a class="stretched-link" href={entity.path}>
                {scope.namesOf(entity).headings}
              </a>
              <span class="count">{countText(scope, counts.get(entity.table) ?? 0)}</span>
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
    </section>
  );
}

function countText({ format }: Scope, count: number): string {
  return count > mostCounted ? `${format.number(mostCounted)}+` : format.number(count);
}
