import { join } from "node:path";
import { it } from "vitest";
import { demoModel } from "../support/demo.ts";
import { built, expectSound } from "../support/generated.ts";

/** Names that mean something to SQL, to TypeScript, to the kit, or to a page. */
const biting = `levadura: 1
app: {name: 'Bite "quoted" </script> & {more}'}
entities:
  Order:
    label: 'Order "<script>alert(1)</script>"'
    fields:
      group: text, required, hint "{braces} & <tags> \\\\ \\"quotes\\""
      constructor: text
      select: one Record, required
      where: boolean
      default: choice "in use" | 'it''s' | a_b, default "in use"
      has_own_property: integer
      back: text
      title: text
      money: money 0..9.5, required
      prototype: time
  Record:
    label: '*/ globalThis.x = 1; /* @jsx x'
    plural: 'Records \`\${x}\` biome-ignore lint: x'
    fields:
      null: {type: text, label: '@ts-nocheck # sourceMappingURL=x'}
      proto: choice __proto__ | constructor
      from: date, required
      to_string: long text
      page: one Record
      list: many List
    unique: [from, page]
  List:
    title: "{name}: {record}"
    plural: Listen
    fields:
      name: text
      record: one Record, unique
      others: many List
  Page:
    fields:
      ñandú: text, required, label "Ñandú & más"
      class: part of Order
      order: one Order
  FormSection: {fields: {text: text 2.., entry: email, at: datetime}, columns: [text, created_at]}
  Class: {fields: {static: text, new: percent}}
  Error: {fields: {stack: text}}
  Form: {fields: {form: one Form, rows: text, without: one Page}}
  Database: {fields: {table: text, hidden: date}, sections: [{Only: [table]}]}
  TextField: {fields: {form: text, name: text}}
  Index: {fields: {features: text, page_path: text}}
  Features: {fields: {entity: one Index, kind: text, title: text}}
  Scope: {fields: {rows: text, today: date, now: datetime}}
  Entity: {fields: {path: text, label: text, total: "= count(registries)"}}
  Registry: {fields: {entity: one Entity}}
`;

it("the generated application of names that bite is sound", async () => {
  expectSound(join(await built(biting), "app"));
});

it("the generated application of the demo is sound", async () => {
  const demo = demoModel();
  expectSound(join(await built(demo), "app"));
});
