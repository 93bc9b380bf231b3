import { sql } from "kysely";
import { expect, it } from "vitest";
import type { Policy } from "../access/scope.ts";
import { application } from "../app/application.ts";
import { openTables } from "../database/current-dialect.ts";
import { type Entity, entity } from "../entity/entity.ts";
import { text } from "../fields/builders.ts";
import { FormFrame } from "../ui/form-page.tsx";
import { RecordFrame } from "../ui/record-page.tsx";
import { remove } from "./delete/delete.tsx";
import { detail } from "./detail/detail.tsx";
import { type Feature, features } from "./feature.ts";
import { form } from "./form/form.tsx";
import { list } from "./list/list.tsx";

const hive = entity({
  table: "hive",
  path: "/hives",
  label: "Hive",
  plural: "Hives",
  title: "{code}",
  fields: { code: text({ label: "Code" }) },
});

const forms = form(hive, ({ form }) => <FormFrame form={form} />);
const known = hive as unknown as Entity;
const map: Feature = {
  routes: [],
  links: [
    { on: "menu", needs: "see", path: "/map", look: "secondary", text: () => "Map of the hives" },
    { on: "record", needs: "change", path: "/move", look: "secondary", text: () => "Move it" },
    { on: "list", needs: "add", path: "/scan", look: "secondary", text: () => "Scan" },
  ],
};

/** The addresses that the list, a record and the start lead to, below that of the entity. */
async function linksWith(its: readonly Feature[], may: Policy["may"] = () => true) {
  const db = openTables<object>("sqlite::memory:");
  await sql`create table hive (id integer primary key, code text, code__order text,
    version integer, created_at text, updated_at text)`.execute(db);
  await sql`create table levadura_tile (organisation_id, account_id, place, entity_table, name, query)`.execute(
    db,
  );
  await sql`insert into hive values (1, 'B-07', null, 1, '2026-01-01T00:00:00Z', '2026-01-01T00:00:00Z')`.execute(
    db,
  );
  const app = application({
    db,
    settings: { name: "Test", language: "en", currency: "EUR", timezone: "UTC" },
    entities: [
      features(hive, {}, [
        list(hive, ["code"]),
        detail(hive, ({ view }) => <RecordFrame view={view} />),
        ...its,
      ]),
    ],
    policy: { may, visible: () => undefined },
  });
  const pages = ["/", "/hives", "/hives/1-b-07"].map(async (path) => {
    const answer = await app.request(path, { headers: { host: "localhost" } });
    expect(answer.status, path).toBe(200);
    return [...(await answer.text()).matchAll(/<a [^>]*href="\/hives(\/[^"?]*)"/g)];
  });
  const found = (await Promise.all(pages)).flat().map(([, href = ""]) => href);
  return [...new Set(found)].filter((href) => href !== "/1-b-07" && href !== "/columns").sort();
}

it("links are those of the features that an entity has, and of what the person may do", async () => {
  expect(await linksWith([forms, remove(hive)])).toEqual([
    "/1-b-07/delete",
    "/1-b-07/duplicate",
    "/1-b-07/edit",
    "/beside",
    "/new",
  ]);
  // Both the list and the page of a record are there in any case.
  expect(await linksWith([])).toEqual(["/beside"]);
  expect(await linksWith([remove(hive), map])).toEqual([
    "/1-b-07/delete",
    "/1-b-07/move",
    "/beside",
    "/map",
    "/scan",
  ]);
  const onlySees: Policy["may"] = (_scope, action, entity) =>
    action === "see" && entity.table === known.table;
  expect(await linksWith([forms, remove(hive), map], onlySees)).toEqual(["/beside", "/map"]);
});
