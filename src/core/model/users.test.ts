import { describe, expect, it } from "vitest";
import { checkFormulas, onlyComputable } from "../formula/check.ts";
import { hiddenFields } from "../formula/hidden-fields.ts";
import { type Diagnostic, Places, pointOut } from "./diagnostics.ts";
import { readModel } from "./read.ts";

const withUsers = (users: string, rights: string, more = "") => `levadura: 1
users: {${users}}
entities:
  Keeper: {fields: {name: "text, required"}, rights: {everyone: see}}
  Hive:
    fields: {code: "text, required", weight: "decimal, required", keepers: many Keeper, owner: one Keeper}
    rights: ${rights}
${more}`;

/** What is said of a model, with its formulas, as \`line:column message (help)\`. */
function said(text: string): string[] {
  const places = new Places(text);
  const { model, diagnostics } = readModel(text);
  const all: Diagnostic[] = [...diagnostics, ...(model ? checkFormulas(model) : [])];
  return all.map((diagnostic) => {
    const { where, message, help } = pointOut("", places, diagnostic);
    return `${where.slice(1)} ${message}${help ? ` (${help})` : ""}`;
  });
}

const groups = "record: Keeper, groups: {office: Office, members: }";

describe("users and rights", () => {
  it("are groups with labels, and what each may do", () => {
    const rights =
      '{everyone: see, office: everything, members: ["add", "change where owner = me"]}';
    const { model } = readModel(
      withUsers(groups, rights, "labels: {es: {group office: Oficina}}\n"),
    );
    expect(model?.users).toMatchObject({
      record: "Keeper",
      groups: [
        { name: "office", label: "Office", labels: { es: "Oficina" } },
        { name: "members", label: "Members" },
      ],
    });
    expect(model?.entities[1]?.rights).toMatchObject({
      everyone: [{ may: ["see"] }],
      office: [{ may: ["see", "add", "change", "delete", "history", "export"] }],
      // Who may change something sees it.
      members: [{ may: ["add"] }, { may: ["see", "change"], where: { formula: "=owner = me" } }],
    });
    expect(said(withUsers(groups, rights))).toEqual([]);
  });

  it.each([
    ["{ofice: see}", "7:14 there is no group `ofice` (did you mean `office`?)"],
    ["{everyone: sea}", "7:24 there is no right `sea` (did you mean `see`?)"],
    ["{everyone: 'see,, add'}", expect.stringMatching(/^7:2[45] a word is missing here/)],
    ["{everyone: {see: yes}}", expect.stringMatching(/^7:24 `everyone` has no rights here/)],
    ["{everyone: }", expect.stringMatching(/^7:14 `everyone` has no rights here/)],
    ["{administrators: see}", "7:14 administrators may do everything (take the line out)"],
    ["{everyone: see where cod = 'a'}", "7:34 Hive has no field `cod` (did you mean `code`?)"],
    ["{everyone: see where code}", expect.stringMatching(/^7:34 this gives a value/)],
    [
      "{everyone: see where code = me}",
      expect.stringMatching(/`me` is a record of Keeper, which this can't be compared with/),
    ],
    [
      "{everyone: see where keepers includes owner}",
      expect.stringMatching(/^7:51 only `me` can follow `includes`/),
    ],
    ["{everyone: see where owner includes me}", expect.stringMatching(/can't be compared with/)],
    ["{everyone: see where owner > me}", expect.stringMatching(/can't be compared with/)],
    ["{everyone: [see, hide cod]}", "7:30 Hive has no field `cod` (did you mean `code`?)"],
    [
      "{everyone: [see, 'hide code']}",
      expect.stringMatching(/`code` is hidden from `everyone`, and the title of `Hive` shows it/),
    ],
    [
      "{office: [add, read only weight]}",
      expect.stringMatching(
        /^6:\d+ `office` may add .* may not fill in `weight`, which is required/,
      ),
    ],
    [
      "{everyone: see, office: [see, hide weight]}",
      expect.stringMatching(/what is hidden from `office` is seen by `everyone`/),
    ],
    ["{}", expect.stringMatching(/^5:3 only administrators may see `Hive`/)],
  ])("that make no sense are told: %s", (rights, expected) => {
    expect(said(withUsers(groups, rights))).toContainEqual(expected);
  });

  it.each([
    [
      "groups: {everyone: x}",
      "2:18 every application has the group `everyone` (take the line out)",
    ],
    ["groups: {Office: x}", expect.stringMatching(/^2:18 `Office` can't be the name of a group/)],
    ["groups: {office: [x]}", expect.stringMatching(/^2:26 a text was expected here/)],
    ["record: Keper", "2:17 there is no entity `Keper` (did you mean `Keeper`?)"],
    [
      "rights: {everyone: see where code = 'a'}",
      expect.stringMatching(/a condition is for one entity/),
    ],
    ["grops: {}", expect.stringMatching(/^2:9 `grops` is not known here/)],
  ])("have users that make sense: %s", (users, expected) => {
    expect(said(withUsers(users, "{everyone: see}"))).toContainEqual(expected);
  });

  it("may keep fields from a group, and what is computed from them", () => {
    const members = "[see, change where owner = me, 'hide weight, keepers', read only owner]";
    const more = `  Apiary:
    fields: {name: "text, required", hives: many Hive, load: "= sum(hives.weight)", size: "= count(hives)"}
`;
    const { model } = readModel(withUsers(groups, `{members: ${members}}`, more));
    if (!model) throw new Error("no model");
    const [, hive, apiary] = model.entities;
    expect(hive?.rights?.members).toMatchObject([
      { may: ["see"], hidden: ["weight", "keepers"], readOnly: ["owner"] },
      { may: ["see", "change"], hidden: ["weight", "keepers"], readOnly: ["owner"] },
    ]);
    const hidden = (group: string) => apiary && [...hiddenFields(model, apiary, group)];
    expect([hidden("members"), hidden("office")]).toEqual([["load"], []]);
  });

  it("need users, and `me` a record; elsewhere nobody asks", () => {
    const without = withUsers("", "{everyone: see}").replace("users: {}\n", "");
    expect(said(without)).toContainEqual(
      expect.stringMatching(/^6:5 rights need people who sign in/),
    );
    const nobody = said(withUsers("", "{everyone: see where owner = me}"));
    expect(nobody).toContainEqual(expect.stringMatching(/^7:42 `me` isn't known here/));
    const rule = withUsers(groups, '{everyone: see}\n    rules: [It is mine: "= owner = me"]');
    expect(said(rule)).toEqual([]);
    const begun = (users: string, entity: string) =>
      said(
        withUsers(users, "{everyone: see}").replace(
          "owner: one Keeper",
          `owner: "one ${entity}, default me"`,
        ),
      );
    expect(begun(groups, "Keeper")).toEqual([]);
    for (const [users, entity] of [
      ["groups: {}", "Keeper"],
      [groups, "Hive"],
    ] as const)
      expect(begun(users, entity)).toContainEqual(
        expect.stringMatching(/`owner` can't begin with `me`/),
      );
  });

  it("that can't be computed go, and never hold for all instead", () => {
    const { model } = readModel(withUsers(groups, "{everyone: [see where cod = 'a', add]}"));
    const [, hive] = (model && onlyComputable(model))?.entities ?? [];
    expect(hive?.rights).toEqual({ everyone: [{ may: ["add"] }] });
  });
});
