import { nameIn } from "../formula/sql/sql.ts";
import { type Field, isComputed, isMany, isReference, type Model } from "../model/model.ts";
import { isAscii, pascalCase, withArticle } from "../naming/words.ts";
import { columnOf } from "../schema/from-model.ts";
import { conditionalFields, hiddenDefaults, rowRules } from "./conditional-fields.ts";
import { defaultValue } from "./entity.ts";
import { Module, object, quote } from "./module.ts";
import { computedTypes, statementOf } from "./statements.ts";
import {
  choicesName,
  inputName,
  isFreeVariable,
  isSearched,
  linkLiteral,
  type Subject,
  subjectOf,
  targetOf,
  titleProperty,
} from "./subject.ts";

const records = "../../kit/records.ts";
const lists = "../../kit/lists.ts";

/** `hive.queries.ts`: every statement that the pages of an entity need. */
export function queriesModule(model: Model, subject: Subject): string {
  const module = new Module();
  module.type("Database", "../../database.ts");
  module.type(`${subject.pascal}Input`, `./${subject.file}.ts`);
  title(module, model, subject);
  formulas(module, model, subject);
  reading(module, model, subject);
  options(module, model, subject);
  relations(module, model, subject);
  writing(module, model, subject);
  rowRules(module, model, subject);
  conditionalFields(module, model, subject);
  return module.print();
}

function queriesOf(from: Subject, subject: Subject): string {
  return from.file === subject.file ? "" : `../${subject.file}/${subject.file}.queries.ts`;
}

function titleOf(module: Module, from: Subject, subject: Subject): string {
  const name = `${subject.camel}Title`;
  const source = queriesOf(from, subject);
  return source ? module.use(name, source) : name;
}

function titleThrough(
  module: Module,
  model: Model,
  subject: Subject,
  field: Field,
  row: string,
): string {
  if (!isReference(field)) return "";
  const target = targetOf(model, field);
  return `${module.use("titleThrough", records)}("${target.table}", ${titleOf(module, subject, target)}, ${row})`;
}

/** The types that databases write in a way of their own. */
const writtenKinds: Readonly<Partial<Record<Field["type"]["kind"], string>>> = {
  decimal: "number",
  money: "number",
  percent: "number",
  boolean: "boolean",
  time: "time",
  datetime: "datetime",
};

function title(module: Module, model: Model, subject: Subject): void {
  const { entity, camel, many } = subject;
  const parts = entity.title ?? [];
  const words = parts.map((part) => ("words" in part ? part.words : `{${part.field}}`)).join("");
  const expressions = parts.map((part) => {
    if ("words" in part) return quote(part.words);
    const field = entity.fields.find(({ name }) => name === part.field);
    if (!field) throw new Error(`no field ${part.field}`);
    const column = `\`\${row}.${columnOf(field)}\``;
    if (isReference(field)) return titleThrough(module, model, subject, field, column);
    const kind = writtenKinds[field.type.kind];
    return kind
      ? `${module.use("titlePart", records)}(${column}, "${kind}")`
      : `${module.use("sql", "kysely")}.ref(${column})`;
  });
  const [only] = parts;
  const field = parts.length === 1 && only && "field" in only ? only.field : undefined;
  const plain = entity.fields.find(({ name, required }) => name === field && required);
  const texts = ["text", "email", "url", "phone", "choice"];
  const own = `${quote(entity.label)}, \`\${row}.id\``;
  const expression =
    plain && texts.includes(plain.type.kind)
      ? `${module.use("sql", "kysely")}.ref<string>(\`\${row}.${columnOf(plain)}\`)`
      : parts.length > 0
        ? `${module.use("titleOfParts", records)}(${own}, [${expressions.join(", ")}])`
        : `${module.use("numberedTitle", records)}(${own})`;
  const type = module.type("Expression", "kysely");
  const called = parts.length > 0 ? `“${words}”` : "their kind and number";
  module.add(
    `export const ${camel}Title = (row: string): ${type}<string> => ${expression};`,
    `What ${many} are called: ${called}.`,
  );
}

/** A statement for each computed field. */
function formulas(module: Module, model: Model, subject: Subject): void {
  const { database } = model.app;
  for (const [field, calculation] of subject.computed) {
    if (!isComputed(field)) continue;
    const row = nameIn(database, subject.table);
    const statement = statementOf(module, database, calculation, { row }, "to read");
    const type = `${computedTypes[calculation.type]}${calculation.optional ? " | null" : ""}`;
    module.add(
      `const ${formulaName(subject, field)} = () => ${module.use("sql", "kysely")}<${type}>${statement};`,
      `“${field.label}”: \`${field.type.formula}\``,
    );
  }
}

function formulaName({ camel }: Subject, field: Field): string {
  return `${camel}${pascalCase(field.name)}Formula`;
}

function reading(module: Module, model: Model, subject: Subject): void {
  const { entity, table, camel, pascal, pascalPlural, variable } = subject;
  const references = entity.fields.filter(isReference);
  const titles = [
    `${module.use("namedTitle", records)}(${camel}Title("${table}"))`,
    ...references.map(
      (field) =>
        `${titleThrough(module, model, subject, field, `"${table}.${columnOf(field)}"`)}.as("${titleProperty(field)}")`,
    ),
    ...[...subject.computed.keys()].map(
      (field) => `${formulaName(subject, field)}().as(${quote(field.name)})`,
    ),
  ];
  module.add(`const select${pascalPlural} = (db: Database) =>
  db.selectFrom("${table}").selectAll("${table}").select([${titles.join(", ")}]);`);
  const many = entity.fields.filter(isMany);
  for (const field of many) {
    module.add(`const ${linksName(subject, field)} = ${linkLiteral(entity, field)};`);
  }
  const linked = (field: (typeof many)[number], ids: string) => {
    const target = targetOf(model, field);
    return `await ${module.use("linkedRecords", records)}(db, ${linksName(subject, field)}, "${target.table}", ${titleOf(module, subject, target)}, ${ids})`;
  };
  const listed = many.filter(({ name }) => entity.columns.includes(name));
  const call = `${module.use("listPage", lists)}(select${pascalPlural}(db), "${table}.id", request, ${listOptions(module, subject)})`;
  const type = module.type("ListRequest", lists);
  module.add(
    listed.length === 0
      ? `export const list${pascalPlural} = (db: Database, request: ${type}) => ${call};`
      : `export async function list${pascalPlural}(db: Database, request: ${type}) {
  const page = await ${call};
  const ids = page.rows.map(({ id }) => id);
  ${listed.map((field) => `const ${local(field)} = ${linked(field, "ids")};`).join("\n  ")}
  const rows = page.rows.map((row) => ({ ...row, ${listed
    .map((field) => `${field.name}: ${local(field)}.get(row.id) ?? []`)
    .join(", ")} }));
  return { ...page, rows };
}`,
    "One page of the list.",
  );
  module.add(
    `export type Listed${pascal} = Awaited<ReturnType<typeof list${pascalPlural}>>["rows"][number];`,
  );
  const found = `select${pascalPlural}(db).where("${table}.id", "=", id).executeTakeFirst()`;
  module.add(
    many.length === 0
      ? `export const find${pascal} = (db: Database, id: number) => ${found};`
      : `export async function find${pascal}(db: Database, id: number) {
  const ${variable} = await ${found};
  if (!${variable}) return undefined;
  ${many.map((field) => `const ${local(field)} = ${linked(field, "[id]")};`).join("\n  ")}
  return { ...${variable}, ${many.map((field) => `${field.name}: ${local(field)}.get(id) ?? []`).join(", ")} };
}`,
    "One record with everything that its page shows; undefined where there is none.",
  );
  module.add(
    `export type ${pascal}Record = NonNullable<Awaited<ReturnType<typeof find${pascal}>>>;`,
  );
}

function linksName({ camel }: Subject, field: Field): string {
  return `${camel}${pascalCase(field.name)}Links`;
}

/** A local variable for the titles of what a field with many records holds. */
function local(field: Field): string {
  return `linked${pascalCase(field.name)}`;
}

/** Names that mean something already where a record is saved. */
const savingNames = new Set(["columns", "constructor", "version"]);

/** The variable for what was chosen in a field with many records: its own name, where that can be one. */
function chosen(field: Field): string {
  const taken = !isFreeVariable(field.name) || savingNames.has(field.name);
  return taken ? `chosen${pascalCase(field.name)}` : field.name;
}

/** Whether a list is sorted by the letters of what a field holds. */
function isTextual({ computed }: Subject, field: Field): boolean {
  const { type } = field;
  // Choices are folded by any database, where their letters are ASCII ones.
  if (type.kind === "choice") return !type.choices.every(isAscii);
  return (
    isReference(field) ||
    computed.get(field)?.type === "text" ||
    ["text", "email", "url", "phone", "color"].includes(type.kind)
  );
}

/** The column of a query by which a list is sorted. */
function sortedBy({ table }: Subject, field: Field): string {
  if (isReference(field)) return titleProperty(field);
  return isComputed(field) ? field.name : `${table}.${columnOf(field)}`;
}

/** What the search box looks into for a field. */
function searched(module: Module, subject: Subject, field: Field): string {
  const column = quote(`${subject.table}.${columnOf(field)}`);
  if (isComputed(field)) return formulaName(subject, field);
  if (field.type.kind !== "choice") return column;
  const choices = module.use(choicesName(subject, field), `./${subject.file}.ts`);
  return object([
    ["column", column],
    ["choices", choices],
  ]);
}

function listOptions(module: Module, subject: Subject): string {
  const { entity, table } = subject;
  const sortable = entity.fields.filter(({ type }) => !["many", "long text"].includes(type.kind));
  const automatic = ["id", "version", "created_at", "updated_at"].filter(
    (name) => entity.columns.includes(name) || entity.sort.some(({ field }) => field === name),
  );
  const sort = [
    ...sortable.map((field): [string, string] => [field.name, quote(sortedBy(subject, field))]),
    ...automatic.map((name): [string, string] => [name, quote(`${table}.${name}`)]),
  ];
  const textual = sortable
    .filter((field) => isTextual(subject, field))
    .map(({ name }) => quote(name));
  const first = entity.sort.map(({ field, descending }) =>
    quote(`${descending ? "-" : ""}${field}`),
  );
  const [only] = entity.title ?? [];
  const fallback = entity.title?.length === 1 && only && "field" in only ? [quote(only.field)] : [];
  const filters = entity.fields.flatMap((field): [string, string][] => {
    if (isReference(field)) return [[columnOf(field), quote(`${table}.${columnOf(field)}`)]];
    return isMany(field) ? [[field.name, linksName(subject, field)]] : [];
  });
  return object([
    [
      "search",
      `[${entity.fields
        .filter((field) => isSearched(subject, field))
        .map((field) => searched(module, subject, field))
        .join(", ")}]`,
    ],
    ["sort", object(sort)],
    ...(textual.length > 0 ? [["textual", `[${textual.join(", ")}]`] as [string, string]] : []),
    ["first", `[${(first.length > 0 ? first : fallback).join(", ")}]`],
    ...(filters.length > 0 ? [["filters", object(filters)] as [string, string]] : []),
  ]);
}

function options(module: Module, model: Model, subject: Subject): void {
  const lookups = subject.inForm.filter((field) => isReference(field) || isMany(field));
  const entries = lookups.map((field): [string, string] => {
    const target = targetOf(model, field);
    const call = `await ${module.use("linksOf", records)}(db, "${target.table}", ${titleOf(module, subject, target)}, chosen("${inputName(field)}"))`;
    return [inputName(field), call];
  });
  const given =
    entries.length > 0
      ? `db: Database, chosen: ${module.type("Chosen", "../../kit/forms.ts")}`
      : "";
  module.add(
    `export const ${subject.camel}Options = async (${given}) => (${object(entries)});`,
    "What the lookups of the form offer; what is chosen in them is always among it.",
  );
}

function relations(module: Module, model: Model, subject: Subject): void {
  const { camel, referrers } = subject;
  const entries = referrers.map(({ entity, field, property }): [string, string] => {
    const other = subjectOf(model, entity);
    const name = `list${other.pascalPlural}`;
    const source = queriesOf(subject, other);
    const list = source ? module.use(name, source) : name;
    return [
      property,
      `await ${list}(db, ${module.use("relatedTo", lists)}("${inputName(field)}", id))`,
    ];
  });
  const uses = referrers.map(({ entity, field }) => {
    const other = subjectOf(model, entity);
    return object([
      ["table", quote(other.table)],
      ["title", titleOf(module, subject, other)],
      ["one", quote(other.one)],
      ["many", quote(other.many)],
      ["path", quote(other.path)],
      ["column", isMany(field) ? linkLiteral(entity, field) : quote(columnOf(field))],
      ...(field.type.kind === "part of" ? [["cascades", "true"] as [string, string]] : []),
    ]);
  });
  const given = entries.length > 0 ? "db: Database, id: number" : "";
  module.add(
    `export const ${camel}Relations = async (${given}) => (${object(entries)});
export type ${subject.pascal}Relations = Awaited<ReturnType<typeof ${camel}Relations>>;`,
    "The records of other kinds that its page shows.",
  );
  module.add(
    `export const ${camel}ReferencedBy = ${
      uses.length > 0
        ? `(db: Database, id: number) => ${module.use("referencedBy", records)}(db, id, [${uses.join(", ")}]);`
        : `async (): Promise<${module.type("ReferencingRecords", records)}[]> => [];`
    }`,
    "The records that refer to one: they block its deletion, or are deleted with it.",
  );
}

function writing(module: Module, model: Model, subject: Subject): void {
  const { entity, table, pascal, inForm, one } = subject;
  const many = inForm.filter(isMany);
  const names = many.map((field) =>
    chosen(field) === field.name ? field.name : `${field.name}: ${chosen(field)}`,
  );
  const given = names.length > 0 ? `{ ${names.join(", ")}, ...columns }` : "columns";
  const links = (change: "addLinks" | "replaceLinks") =>
    many
      .map(
        (field) =>
          `await ${module.use(change, records)}(db, ${linksName(subject, field)}, id, ${chosen(field)});\n  `,
      )
      .join("");
  const hidden = entity.fields.filter(
    (field) => !inForm.includes(field) && field.default && "moment" in field.default,
  );
  const extra = hidden
    .map((field) => `${columnOf(field)}: ${defaultValue(module, field)}, `)
    .concat(hiddenDefaults(module, model, subject))
    .join("");
  module.add(
    `export async function create${pascal}(db: Database, ${given}: ${pascal}Input): Promise<number> {
  const { id } = await db.insertInto("${table}").values({ ...columns, ${extra}...${module.use("stampNew", records)}() }).returning("id").executeTakeFirstOrThrow();
  ${links("addLinks")}return id;
}`,
    `Adds ${withArticle(one)}, and gives its number.`,
  );
  module.add(
    `export async function update${pascal}(db: Database, id: number, version: number, ${given}: ${pascal}Input): Promise<boolean> {
  const { numUpdatedRows } = await db.updateTable("${table}").set({ ...columns, ...${module.use("stampSaved", records)}(version) }).where("id", "=", id).where("version", "=", version).executeTakeFirst();
  ${many.length > 0 ? `if (numUpdatedRows === 0n) return false;\n  ${links("replaceLinks")}return true;` : "return numUpdatedRows > 0n;"}
}`,
    `Saves ${withArticle(one)}; false when somebody else saved it since that version.`,
  );
  module.add(
    `export async function remove${pascal}(db: Database, id: number, version: number): Promise<boolean> {
  const { numDeletedRows } = await db.deleteFrom("${table}").where("id", "=", id).where("version", "=", version).executeTakeFirst();
  return numDeletedRows > 0n;
}`,
    `Deletes ${withArticle(one)}; false when somebody saved it since that version.`,
  );
}
