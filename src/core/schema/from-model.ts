import { canBe, holdsWords, ruleOf } from "../fields/types.ts";
import {
  automaticFields,
  type Entity,
  entityNamed,
  type Field,
  freesUnique,
  handColumn,
  isComputed,
  isMany,
  isReference,
  type Model,
} from "../model/model.ts";
import { inSentence, snakeCase } from "../naming/words.ts";
import { accountTables } from "./account-tables.ts";
import type { Column, Index, Schema, Table } from "./schema.ts";

/** The column with the organisation that a record belongs to. */
export const ownerColumn = "organisation_id";

/** The columns of an entity's table that no field has, and not every table. */
export const ownColumns: ReadonlySet<string> = new Set([ownerColumn, handColumn]);

/** The tables that a model needs, each after those that its required references point at. */
export function schemaOf(model: Model): Schema {
  const tables = parentsFirst(model).map((entity) => entityTable(entity));
  const links = model.entities.flatMap((entity) =>
    entity.fields.filter(isMany).map((field) => linkTable(entity, field)),
  );
  return { tables: [...tables, ...links, ...(model.users ? accountTables() : [])] };
}

/**
 * The entities, each after those whose records it can't do without, and after those that it merely
 * refers to where these don't need it in turn; otherwise as in the model.
 */
export function parentsFirst(model: Model): Entity[] {
  const ordered = new Set<Entity>();
  const begun = new Set<Entity>();
  const targets = (entity: Entity, required: boolean): Entity[] =>
    entity.fields
      .filter((field) => isReference(field) || isMany(field))
      .filter((field) => (isReference(field) && field.required) === required)
      .map((field) => entityNamed(model, field.type.entity));
  /** Whether something that is begun but not in order yet has to come before this. */
  const mustWait = (entity: Entity, seen = new Set<Entity>()): boolean =>
    targets(entity, true).some((target) => {
      if (ordered.has(target) || seen.has(target)) return false;
      return begun.has(target) || mustWait(target, seen.add(target));
    });
  const visit = (entity: Entity): void => {
    if (begun.has(entity)) return;
    begun.add(entity);
    for (const target of targets(entity, true)) visit(target);
    for (const target of targets(entity, false)) if (!mustWait(target)) visit(target);
    ordered.add(entity);
  };
  for (const entity of model.entities) visit(entity);
  return [...ordered];
}

/** The table of an entity. */
export function tableOf(entityName: string): string {
  return snakeCase(entityName);
}

/** The column of a field: its name, and `_id` behind it for a reference. */
export function columnOf(field: Field): string {
  return isReference(field) ? `${field.name}_id` : field.name;
}

/** The table behind a field that holds many records, and its two columns. */
export function linkOf(entity: Entity, field: Field & { type: { entity: string } }) {
  const owner = tableOf(entity.name);
  const target = tableOf(field.type.entity);
  return {
    table: `${owner}_${field.name}`,
    from: `${owner}_id`,
    to: owner === target ? `other_${target}_id` : `${target}_id`,
  };
}

function entityTable(entity: Entity): Table {
  const name = tableOf(entity.name);
  const columns = entity.fields
    .filter((field) => !isMany(field) && !isComputed(field))
    .map(fieldColumn);
  const automatic: Column[] = [
    { name: "id", type: { kind: "integer" }, required: true },
    { name: "version", type: { kind: "integer" }, required: true, default: 1 },
    { name: "created_at", type: { kind: "datetime" }, required: true },
    { name: "updated_at", type: { kind: "datetime" }, required: true },
  ];
  return {
    name,
    label: inSentence(entity.label),
    columns: [
      ...automatic.slice(0, 1),
      ...columns,
      ...(entity.organised ? [organisation] : []),
      ...(entity.byHand ? [handOrder] : []),
      ...automatic.slice(1),
    ],
    key: ["id"],
    indexes: indexesOf(entity, name),
    ...(entity.checks && entity.checks.length > 0 && { checks: entity.checks }),
  };
}

/**
 * The organisation that a record belongs to. Rows that come otherwise than by the application, such as those of files,
 * belong to the first.
 */
const organisation: Column = {
  name: ownerColumn,
  type: { kind: "integer" },
  required: true,
  default: 1,
};

/** The place that somebody gave a record in its list; none for one that came otherwise than by the application. */
const handOrder: Column = { name: handColumn, type: { kind: "integer" }, required: false };

function fieldColumn(field: Field): Column {
  const { storage } = ruleOf(field.type);
  if (!storage) throw new Error(`no column holds a ${field.type.kind}`);
  const checks = storage.checks(field.type);
  const start =
    field.default && "value" in field.default
      ? field.default.value
      : field.type.kind === "boolean"
        ? false
        : undefined;
  return {
    name: columnOf(field),
    type: storage.column(field.type),
    required: field.required,
    ...(start !== undefined && { default: start }),
    ...(isReference(field) && {
      references: {
        table: tableOf(field.type.entity),
        onDelete: field.type.kind === "part of" ? ("along" as const) : ("refuse" as const),
      },
    }),
    ...(checks.length > 0 && { checks }),
  };
}

/** The columns of an entity with which an index of its table begins. */
export function indexedColumns(entity: Entity): string[] {
  const indexes = indexesOf(entity, tableOf(entity.name)).filter(({ words }) => !words);
  return [...new Set(indexes.flatMap(({ columns }) => columns.slice(0, 1)))];
}

/** The name of the index of parts of words of a table. */
export function wordsIndexName(table: string): string {
  return `${table}_words_index`;
}

/** The columns of an entity whose words can be searched through an index: its texts, but for choices. */
export function wordColumns({ fields }: Pick<Entity, "fields">): string[] {
  return fields.filter(({ type }) => holdsWords(type)).map(columnOf);
}

/** The most characters of a text that an index has behind a reference. */
const longestBehind = 255;

/** By what the records of an entity are ordered first, as a list has them that says nothing else; undefined where no index can. */
function firstOfOrder(entity: Entity): string | undefined {
  const [only, ...more] = entity.title ?? [];
  const titled = more.length === 0 && only && "field" in only ? only.field : undefined;
  const name = entity.sort[0]?.field ?? (entity.byHand ? handColumn : titled);
  if (name === handColumn || automaticFields.some((each) => each === name)) return name;
  const type = entity.fields.find((field) => field.name === name)?.type;
  if (!type || !canBe("index", type)) return undefined;
  const column = ruleOf(type).storage?.column(type);
  return column?.kind === "text" && column.max > longestBehind ? undefined : name;
}

/** What is unique, what refers, and what lists sort and filter by. */
function indexesOf(entity: Entity, table: string): Index[] {
  const column = (name: string): string => {
    const field = entity.fields.find((candidate) => candidate.name === name);
    return field ? columnOf(field) : name;
  };
  const indexes: Index[] = [];
  const add = (columns: string[], unique: boolean) => {
    const covered = indexes.some(
      (index) => index.columns[0] === columns[0] && columns.length === 1 && !index.inUse,
    );
    if (covered && !unique) return;
    const name = `${table}_${columns.join("_")}_${unique ? "key" : "index"}`;
    if (indexes.some((index) => index.name === name)) return;
    const inUse = unique && freesUnique(entity) && ({ inUse: true } as const);
    indexes.push({ name, columns, unique, ...inUse });
  };
  // What is unique is so within one organisation.
  const within = entity.organised ? [organisation.name] : [];
  for (const field of entity.fields) if (field.unique) add([...within, columnOf(field)], true);
  for (const group of entity.unique) add([...within, ...group.map(column)], true);
  if (entity.organised) add([organisation.name], false);
  if (entity.byHand) add([handColumn], false);
  // The lists on the page of a record are those of its parts in their order.
  const first = firstOfOrder(entity);
  for (const field of entity.fields.filter(isReference)) {
    const own = columnOf(field);
    if (first && first !== field.name && !field.unique) add([own, column(first)], false);
    add([own], false);
  }
  const sortable = new Set(
    entity.fields.filter(({ type }) => canBe("index", type)).map(({ name }) => name),
  );
  const automatic = new Set<string>(automaticFields.slice(1));
  for (const name of [...entity.sort.map(({ field }) => field), ...entity.columns]) {
    if (sortable.has(name) || automatic.has(name)) add([column(name)], false);
  }
  const texts = wordColumns(entity);
  if (entity.search === "indexed" && texts.length > 0) {
    indexes.push({ name: wordsIndexName(table), columns: texts, unique: false, words: true });
  }
  return indexes;
}

function linkTable(entity: Entity, field: Field & { type: { entity: string } }): Table {
  const { table, from, to } = linkOf(entity, field);
  const end = (name: string, target: string, onDelete: "refuse" | "along"): Column => ({
    name,
    type: { kind: "integer" },
    required: true,
    references: { table: target, onDelete },
  });
  return {
    name: table,
    label: `${inSentence(field.label)} of ${inSentence(entity.plural)}`,
    columns: [
      end(from, tableOf(entity.name), "along"),
      end(to, tableOf(field.type.entity), "refuse"),
    ],
    key: [from, to],
    indexes: [{ name: `${table}_${to}_index`, columns: [to], unique: false }],
  };
}
