import { sql } from "kysely";
import { contains } from "../../database/current-dialect.ts";
import type { Entity } from "../../entity/entity.ts";
import { tagsIn } from "../../fields/tags.tsx";
import { archiveConditions } from "../../store/archive.ts";
import { where } from "../../store/list/conditions.ts";
import type { Feature } from "../feature.ts";

/** The most records that are looked at for tags to offer, and the most tags that are offered. */
const most = { records: 2000, tags: 12 } as const;

/** Offers the tags that other records have, for those who see these. */
export function tags<Known extends Entity>(known: Known): Feature {
  const entity = known as unknown as Entity;
  return {
    routes: [
      {
        method: "GET",
        path: `${entity.path}/tags/:field`,
        needs: { action: "see", entity },
        answer: async (c, scope) => {
          const name = c.req.param("field") ?? "";
          const field = Object.hasOwn(entity.fields, name) ? entity.fields[name] : undefined;
          const typed = (c.req.query("typed") ?? "").slice(0, 40).trim();
          if (field?.kind !== "tags" || scope.isHidden(entity, name)) return c.notFound();
          const column = sql.ref(`${entity.table}.${name}`);
          const conditions = [
            ...archiveConditions(entity),
            sql`${column} is not null`,
            ...(typed === "" ? [] : [contains(column, typed)]),
          ];
          const { rows } = await sql<{ held: string }>`
            select ${column} as held from ${scope.rowsOf(entity)} as ${sql.table(entity.table)}
            ${where(conditions)} order by ${sql.ref(`${entity.table}.id`)} desc
            limit ${sql.lit(most.records)}`.execute(scope.db);
          return c.json({
            tags: mostFrequent(
              rows.flatMap(({ held }) => tagsIn(held)),
              typed,
            ),
          });
        },
      },
    ],
  };
}

/** The tags that begin with what was typed, then those that have it in them; the most frequent first. */
function mostFrequent(tags: readonly string[], typed: string): string[] {
  const counts = new Map<string, number>();
  for (const tag of tags) counts.set(tag, (counts.get(tag) ?? 0) + 1);
  const small = typed.toLowerCase();
  const place = (tag: string) => (tag.toLowerCase().startsWith(small) ? 0 : 1);
  return [...counts]
    .filter(([tag]) => tag.toLowerCase().includes(small))
    .sort(([one, many], [other, more]) => place(one) - place(other) || more - many)
    .slice(0, most.tags)
    .map(([tag]) => tag);
}
