import { describe, expect, it } from "vitest";
import { Places, pointOut } from "./diagnostics.ts";
import { readModel } from "./read.ts";

const model = (page: string, users = "users: {rights: {visitors: see}}") => `levadura: 1
${users}
entities:
  Apiary:
    fields: {name: "text, required"}
    views: {"In use": archived=all}
    reports: {By name: {by: name, show: count}}
  Swarm: {fields: {seen: date}, rights: {visitors: add}}
embedded:
  ${page}
`;

function said(text: string): string[] {
  const places = new Places(text);
  return readModel(text).diagnostics.map((diagnostic) => {
    const { where, message, help } = pointOut("", places, diagnostic);
    return `${where.slice(1)} ${message} (${help})`;
  });
}

const site = "origins: https://bees.example";

describe("pages in other sites", () => {
  it("are lists, records, forms, reports and calendars of entities", () => {
    const pages = [
      `all: {list: Apiary, view: In use, ${site}/}`,
      "one: {record: Apiary, origins: [https://bees.example, http://localhost:8080]}",
      `swarm-seen: {form: Swarm, ${site}, limit: 3}`,
      `names: {report: Apiary, view: By name, ${site}}`,
    ];
    const text = model(pages.join("\n  "));
    expect(said(text)).toEqual([]);
    const origins = ["https://bees.example"];
    expect(readModel(text).model?.embedded).toEqual([
      { name: "all", kind: "list", entity: "Apiary", view: "In use", origins },
      {
        name: "one",
        kind: "record",
        entity: "Apiary",
        origins: ["https://bees.example", "http://localhost:8080"],
      },
      { name: "swarm-seen", kind: "form", entity: "Swarm", origins, limit: 3 },
      { name: "names", kind: "report", entity: "Apiary", view: "By name", origins },
    ]);
  });

  it.each([
    [`Big: {list: Apiary, ${site}}`, "10:3 `Big` is not a name"],
    [`x: {list: Apary, ${site}}`, "10:13 there is no entity `Apary` (did you mean `Apiary`?)"],
    [`x: {lst: Apiary, ${site}}`, "10:7 `lst` is not known here (did you mean `list`?)"],
    [`x: {list: Apiary, form: Swarm, ${site}}`, "10:6 `x` has `list` and `form` at once"],
    [`x: {${site}}`, "10:6 `x` has nothing to show"],
    ["x: {list: Apiary}", "10:6 `x` has no origins"],
    [
      "x: {list: Apiary, origins: bees.example}",
      "10:30 `bees.example` is not the origin of a site",
    ],
    [
      'x: {list: Apiary, origins: "https://bees.example; script-src *"}',
      "10:30 `https://bees.example; script-src *` is not the origin of a site",
    ],
    ["x: {list: Apiary, origins: https://bees.example/page}", "`https://bees.example/page` is not"],
    [`x: {report: Apiary, ${site}}`, "10:6 `x` doesn't say which report (add view: By name)"],
    [`x: {list: Apiary, view: In us, ${site}}`, "10:27 `Apiary` has no view `In us`"],
    [`x: {form: Swarm, view: In use, ${site}}`, "10:26 a form has no view (remove `view`)"],
    [`x: {list: Apiary, limit: 3, ${site}}`, "10:28 only a form has a `limit` (remove it)"],
    [`x: {form: Swarm, limit: 0, ${site}}`, "10:27 a limit is a whole number from 1 to 1000"],
    [`x: {list: Swarm, ${site}}`, "10:13 `visitors` may not see records of `Swarm`"],
    [`x: {form: Apiary, ${site}}`, "10:13 `visitors` may not add records of `Apiary`"],
    [`x: {calendar: Apiary, ${site}}`, "10:17 `Apiary` has no date"],
    ["x:", "10:3 `x` is blank"],
    [`x: {list: Apiary, ${site}}\n  x: {list: Apiary, ${site}}`, "twice"],
  ])("that can't be are errors: %s", (page, expected) => {
    expect(said(model(page))).toContainEqual(expect.stringContaining(expected));
  });

  it("need people who sign in, so that visitors are others", () => {
    const text = model(`x: {list: Apiary, ${site}}`, "app: {name: Bees}").replace(
      ", rights: {visitors: add}",
      "",
    );
    expect(said(text)).toEqual([
      expect.stringContaining(
        "without `users`, whoever sees an embedded page may change everything",
      ),
    ]);
  });
});
