import type { Context } from "hono";
import type { FC } from "hono/jsx";
import { withOwnLook } from "../../access/kept-views.ts";
import { refusedOn } from "../../access/row-rights.ts";
import type { Scope } from "../../access/scope.ts";
import type { Entity, RowOf } from "../../entity/entity.ts";
import { address, isSameAddress, withQuery } from "../../entity/links.ts";
import { firstRows } from "../../store/list/list.ts";
import { type RelatedQuery, relatedQuery } from "../../store/list/related.ts";
import { isPlace, listRequest } from "../../store/list/request.ts";
import { showPage } from "../../ui/layout.tsx";
import { besideQuery, type View } from "../../ui/record-page.tsx";
import { askedRecord, type Feature, recordPart } from "../feature.ts";
import { withinOf } from "./within.ts";

/** What a page shows besides its record, by name: each is loaded by the number of the record, and what the address says of it. */
type Loaders = Readonly<
  Record<string, (scope: Scope, id: number, asked?: RelatedQuery) => Promise<unknown>>
>;

/** What the page of a record gets. */
export interface DetailProps<Known extends Entity, Related extends Loaders = Record<never, never>> {
  view: View<Known>;
  related: { [Name in keyof Related]: Awaited<ReturnType<Related[Name]>> };
}

/** The page of a record, with the records of other entities that belong to it. */
export function detail<Known extends Entity, Related extends Loaders = Record<never, never>>(
  entity: Known,
  Page: FC<DetailProps<Known, Related>>,
  related?: Related,
): Feature {
  const plain = entity as unknown as Entity;
  const needs = { action: "see", entity: plain } as const;
  return {
    links: [
      {
        on: "layouts",
        needs: "see",
        path: "/beside",
        look: "secondary",
        text: ({ layouts }) => layouts.beside,
      },
    ],
    routes: [
      {
        method: "GET",
        path: `${entity.path}/beside`,
        needs,
        answer: (c, scope) => firstBeside(c, scope, plain),
      },
      {
        method: "GET",
        path: `${entity.path}/${recordPart}`,
        needs,
        answer: async (c, scope) => {
          const record = await askedRecord(c, scope, plain);
          if (!record) return c.notFound();
          const here = address(record);
          const { pathname, search } = new URL(c.req.url);
          if (!scope.embedded && !isSameAddress(pathname, here))
            return c.redirect(here + search, 302);
          const query = new URLSearchParams(search);
          const loaded: Record<string, unknown> = {};
          for (const [name, load] of Object.entries(related ?? {})) {
            loaded[name] = await load(scope, record.id, relatedQuery(query, name));
          }
          const view = {
            scope,
            entity,
            record: record as unknown as RowOf<Known>,
            refused: await refusedOn(scope, plain, record.id),
            query,
            isForLookup: c.req.query("_added") === "yes",
            within: await withinOf(c, scope, plain, record.id),
          };
          const page = <Page view={view} related={loaded as never} />;
          return showPage(c, scope, page, { title: record.displayTitle });
        },
      },
    ],
  };
}

/** Leads to the first record of a list, with the list beside it; to the list, where that is empty. */
async function firstBeside(c: Context, scope: Scope, entity: Entity) {
  const { searchParams } = new URL(c.req.url);
  const kept = new URLSearchParams([...searchParams].filter(([name]) => !isPlace(name)));
  kept.delete("layout");
  const query = await withOwnLook(scope, entity, kept);
  const { rows } = await firstRows(scope, entity, listRequest(query), 1);
  const [first] = rows;
  if (!first) return c.redirect(withQuery(encodeURI(entity.path), kept, {}), 302);
  return c.redirect(`${address(first)}?${besideQuery(kept.toString())}`, 302);
}
