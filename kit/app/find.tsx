import type { Context } from "hono";
import { sql } from "kysely";
import { NotSignedIn, type Scope } from "../access/scope.ts";
import type { Entity } from "../entity/entity.ts";
import { address, type Link } from "../entity/links.ts";
import type { Feature } from "../features/feature.ts";
import { archiveConditions } from "../store/archive.ts";
import { where } from "../store/list/conditions.ts";
import { longestSearch } from "../store/list/request.ts";
import { isSearched, searchConditions } from "../store/list/search.ts";
import { byTitle, displayTitle } from "../store/order.ts";
import { titleOf } from "../store/titles.ts";
import { findPath } from "../ui/find-box.tsx";
import { showPage } from "../ui/layout.tsx";

/** The records of an entity that are shown of those that are found. */
const mostFound = 5;

/** Looks for words in the records of all entities at once. */
export const find: Feature = {
  routes: [{ method: "GET", path: findPath, needs: "nothing", records: true, answer: show }],
};

interface Found {
  entity: Entity;
  records: Link[];
  /** Whether there are more than are shown. */
  more: boolean;
}

async function show(c: Context, scope: Scope) {
  const seen = scope.entities.all.filter((entity) => scope.may("see", entity));
  if (scope.access && !scope.person && seen.length === 0) throw new NotSignedIn();
  const words = (c.req.query("words") ?? "").replaceAll("\0", "").trim().slice(0, longestSearch);
  const found: Found[] = [];
  if (words !== "") {
    for (const entity of seen.filter(isSearched)) {
      const records = await foundIn(scope, entity, words);
      const more = records.length > mostFound;
      if (records.length > 0) found.push({ entity, records: records.slice(0, mostFound), more });
    }
  }
  const { messages } = scope;
  const page = (
    <>
      <h1>{messages.findAnywhere}</h1>
      {words !== "" && (
        <p class="soft" role="status">
          {found.length === 0 ? messages.foundNothing(words) : messages.foundWith(words)}
        </p>
      )}
      <div id="found" class="found">
        {found.map(({ entity, records, more }) => (
          <section aria-label={scope.namesOf(entity).headings}>
            <h2>{scope.namesOf(entity).headings}</h2>
            <ul>
              {records.map((record) => (
                <li>
                  <a href={address(record)}>{record.displayTitle}</a>
                </li>
              ))}
              {more && (
                <li>
                  <a
                    class="soft"
                    href={`${encodeURI(entity.path)}?${new URLSearchParams({ search: words })}`}
                  >
                    {messages.foundMore}
                  </a>
                </li>
              )}
            </ul>
          </section>
        ))}
      </div>
    </>
  );
  return showPage(c, scope, page, { title: messages.findAnywhere });
}

/** The first records of an entity with all words, by title: one more than are shown. */
async function foundIn(scope: Scope, entity: Entity, words: string): Promise<Link[]> {
  const { table, path: pagePath } = entity;
  const { rows } = await sql<{ id: number; displayTitle: string }>`
    select ${sql.ref(`${table}.id`)}, ${titleOf(scope, entity, table)} as ${displayTitle}
    from ${scope.rowsOf(entity)} as ${sql.table(table)}
    ${where([...archiveConditions(entity), ...(await searchConditions(scope, entity, words))])}
    order by ${byTitle} limit ${sql.lit(mostFound + 1)}`.execute(scope.db);
  return rows.map((row) => ({ ...row, pagePath }));
}
