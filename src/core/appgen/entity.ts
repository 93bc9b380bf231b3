import { rulesOf } from "../formula/rules.ts";
import { type Field, freesUnique, handColumn, isComputed, type Model } from "../model/model.ts";
import { capitalized, pluralOf, snakeCase, withArticle } from "../naming/words.ts";
import { columnOf, indexedColumns, wordColumns } from "../schema/from-model.ts";
import { fieldCode } from "./fields.ts";
import { hasConditionalFields } from "./formulas.ts";
import { labelCode } from "./labels.ts";
import { Module, object, quote } from "./module.ts";
import { choicesName, inputName, type Subject } from "./subject.ts";

const entityTypes = "../../kit/entity/entity.ts";

/** `hive.ts`: the names of an entity, its fields with their checks and labels, and the types of its records. */
export function entityModule(model: Model, subject: Subject): string {
  const module = new Module();
  const { entity, camel, pascal, one, many, file, inForm } = subject;
  for (const field of entity.fields) {
    if (field.type.kind !== "choice") continue;
    const choices = object(
      field.type.choices.map((value) => [
        value,
        labelCode({ label: choiceLabel(value), labels: field.choiceLabels?.[value] }),
      ]),
    );
    module.add(
      `export const ${choicesName(subject, field)} = ${choices} as const;`,
      `The choices of “${field.label}”, with their labels.`,
    );
  }
  const others = entity.fields.filter((field) => !inForm.includes(field));
  const fields = [
    ...inForm,
    ...others.filter((field) => !isComputed(field)),
    ...others.filter(isComputed),
  ];
  const query = (name: string) => module.use(name, `./${file}.queries.ts`);
  module.add(
    `export const ${camel}Entity = ${module.use("entity", entityTypes)}(${object([
      ["table", quote(subject.table)],
      ["path", quote(subject.path)],
      ...listNameOf(subject),
      ["label", labelCode(entity)],
      ["plural", labelCode({ label: entity.plural, labels: entity.plurals })],
      ...titleOf(subject),
      ...(entity.organised ? [["organised", "true"] as const] : []),
      ...(entity.byHand ? [["byHand", "true"] as const] : []),
      ...(entity.archive ? [["archive", "true"] as const] : []),
      ...(freesUnique(entity) ? [["freesUnique", "true"] as const] : []),
      ...(entity.icon ? [["icon", quote(entity.icon.name)] as const] : []),
      [
        "fields",
        object(fields.map((field) => [inputName(field), fieldCode(module, model, subject, field)])),
      ],
      ...orderOf(subject),
      ...calendarOf(subject),
      ...(rulesOf(entity).length > 0 ? [["rowRules", query(`${camel}RowRules`)] as const] : []),
      ...((entity.highlights ?? []).length > 0
        ? [["highlights", query(`${camel}Highlights`)] as const]
        : []),
      ...(hasConditionalFields(model, subject)
        ? [["conditionalFields", query(`${camel}ConditionalFields`)] as const]
        : []),
    ])});`,
    `What ${withArticle(one)} is: its names, its table and its fields.`,
  );
  module.add(
    `export type ${pascal}Table = ${module.type("TableOf", entityTypes)}<typeof ${camel}Entity>;`,
    `The columns of the table of ${many}.`,
  );
  module.add(
    `export type ${pascal}Input = ${module.type("InputOf", entityTypes)}<typeof ${camel}Entity>;`,
    `What the form of ${withArticle(one)} takes.`,
  );
  module.add(
    `export type ${pascal}Row = ${module.type("RowOf", entityTypes)}<typeof ${camel}Entity>;`,
    `${capitalized(withArticle(one))} as lists and pages have it.`,
  );
  return module.print();
}

/** A choice as people read it. */
function choiceLabel(value: string): string {
  return capitalized(value.replaceAll("_", " "));
}

/** What formulas call its records, where the address doesn't say so. */
function listNameOf({ entity, path }: Subject): [string, string][] {
  const list = snakeCase(pluralOf(entity.name));
  return list === path.slice(1).replaceAll("-", "_") ? [] : [["many", quote(list)]];
}

/** The columns that say on which days a record is, of those that there are. */
function calendarOf({ entity: { calendar, fields } }: Subject): [string, string][] {
  const parts = Object.entries(calendar ?? {}).flatMap(([part, name]): [string, string][] => {
    const field = fields.find((each) => each.name === name);
    return field ? [[part, quote(columnOf(field))]] : [];
  });
  return parts.some(([part]) => part === "from") ? [["calendar", object(parts)]] : [];
}

function titleOf({ entity }: Subject): [string, string][] {
  const parts = (entity.title ?? []).map((part) => {
    if ("words" in part) return part.words;
    const field = entity.fields.find(({ name }) => name === part.field);
    return `{${field ? columnOf(field) : part.field}}`;
  });
  return parts.length > 0 ? [["title", quote(parts.join(""))]] : [];
}

/** The kinds of fields whose values applications count through an index. */
const countedByIndex: ReadonlySet<Field["type"]["kind"]> = new Set([
  "choice",
  "boolean",
  "integer",
  "decimal",
  "money",
  "percent",
  "date",
  "datetime",
]);

function orderOf({ entity }: Subject): [string, string][] {
  const keys = entity.sort.map(({ field, descending }) => `${descending ? "-" : ""}${field}`);
  const [only] = entity.title ?? [];
  const fallback = entity.title?.length === 1 && only && "field" in only ? [only.field] : [];
  if (entity.byHand) keys.push(handColumn);
  const order = keys.length > 0 ? keys : fallback;
  const automatic = ["id", "version", "created_at", "updated_at"].filter(
    (name) => entity.columns.includes(name) || entity.sort.some(({ field }) => field === name),
  );
  if (entity.byHand) automatic.push(handColumn);
  const countable = new Set(
    entity.fields.filter(({ type }) => countedByIndex.has(type.kind)).map(columnOf),
  );
  const indexed = indexedColumns(entity).filter((column) => countable.has(column));
  return [
    ...(indexed.length > 0
      ? [["indexed", `[${indexed.map(quote).join(", ")}]`] as [string, string]]
      : []),
    ...(entity.search === "indexed"
      ? [["words", `[${wordColumns(entity).map(quote).join(", ")}]`] as [string, string]]
      : []),
    ...(order.length > 0
      ? [["order", `[${order.map(quote).join(", ")}]`] as [string, string]]
      : []),
    ...(automatic.length > 0
      ? [["sorted", `[${automatic.map(quote).join(", ")}]`] as [string, string]]
      : []),
  ];
}
