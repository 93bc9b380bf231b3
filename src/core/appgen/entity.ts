import { type Entity, type Field, isComputed, isMany, isReference } from "../model/model.ts";
import { capitalized, withArticle } from "../naming/words.ts";
import { columnOf } from "../schema/from-model.ts";
import { Module, object, quote } from "./module.ts";
import { choicesName, inputName, type Subject } from "./subject.ts";

const values = "../../kit/values.ts";

/** `hive.ts`: the columns, the choices, the checks of the form, the labels. */
export function entityModule(subject: Subject): string {
  const module = new Module();
  const { entity, camel, pascal, one, inForm } = subject;
  for (const field of entity.fields) {
    if (field.type.kind !== "choice") continue;
    const choices = object(field.type.choices.map((value) => [value, quote(choiceLabel(value))]));
    module.add(
      `export const ${choicesName(subject, field)} = ${choices} as const;`,
      `The choices of “${field.label}”, with their labels.`,
    );
  }
  const generated = module.type("Generated", "kysely");
  module.add(
    `export interface ${pascal}Columns {
  id: ${generated}<number>;
  ${entity.fields
    .filter((field) => !isMany(field) && !isComputed(field))
    .map((field) => `${columnOf(field)}: ${columnType(subject, field)};`)
    .join("\n  ")}
  version: ${generated}<number>;
  created_at: string;
  updated_at: string;
}`,
    `The columns of the table \`${subject.table}\`.`,
  );
  module.use("z", "zod");
  const shape = object(inForm.map((field) => [inputName(field), check(module, subject, field)]));
  module.add(
    `export const ${camel}Input = z.object(${shape});
export type ${pascal}Input = z.infer<typeof ${camel}Input>;`,
    `What the form of ${withArticle(one)} takes.`,
  );
  module.add(
    `export const ${camel}Labels = ${object(labels(entity))};`,
    "What the fields are called.",
  );
  module.add(
    `export const ${camel}Defaults = () => (${object(defaults(module, inForm))});`,
    `What a new ${one} starts with.`,
  );
  return module.print();
}

/** A choice as people read it. */
export function choiceLabel(value: string): string {
  return capitalized(value.replaceAll("_", " "));
}

/** Labels by the name in forms; those of automatic fields too, where they are shown. */
function labels(entity: Entity): [string, string][] {
  const shown = new Set([...entity.columns, ...entity.sections.flatMap(({ fields }) => fields)]);
  const automatic: Record<string, string> = {
    id: "Number",
    version: "Version",
    created_at: "Created",
    updated_at: "Updated",
  };
  return [
    ...entity.fields.map((field): [string, string] => [inputName(field), quote(field.label)]),
    ...Object.entries(automatic)
      .filter(([name]) => shown.has(name))
      .map(([name, label]): [string, string] => [name, quote(label)]),
  ];
}

function columnType(subject: Subject, field: Field): string {
  const type =
    field.type.kind === "choice"
      ? `keyof typeof ${choicesName(subject, field)}`
      : field.type.kind === "boolean"
        ? "boolean"
        : isReference(field) || "places" in field.type || field.type.kind === "integer"
          ? "number"
          : "string";
  if (!field.required) return `${type} | null`;
  const filled = field.default !== undefined && "value" in field.default;
  return filled || field.type.kind === "boolean" ? `Generated<${type}>` : type;
}

/** The kit's builder for each kind of value. */
const builders: Readonly<Partial<Record<Field["type"]["kind"], string>>> = {
  "long text": "longText",
  money: "decimal",
  percent: "decimal",
  one: "reference",
  "part of": "reference",
};

function check(module: Module, subject: Subject, field: Field): string {
  const { type } = field;
  if (type.kind === "many") {
    return `${module.use("references", values)}(${field.required ? "{ required: true }" : ""})`;
  }
  const builder = module.use(builders[type.kind] ?? type.kind, values);
  const given = type.kind === "choice" ? choicesName(subject, field) : bounds(field);
  const call = `${builder}(${given})`;
  return field.required ? call : `${module.use("optional", values)}(${call})`;
}

function bounds({ type }: Field): string {
  const entries: [string, string][] = [];
  if ("min" in type && type.min !== undefined) entries.push(["min", JSON.stringify(type.min)]);
  if ("max" in type && type.max !== undefined) entries.push(["max", JSON.stringify(type.max)]);
  if ("places" in type && type.places !== 2) entries.push(["places", String(type.places)]);
  return entries.length > 0 ? object(entries) : "";
}

function defaults(module: Module, fields: readonly Field[]): [string, string][] {
  return fields.flatMap((field): [string, string][] => {
    const value = defaultValue(module, field);
    return value === undefined ? [] : [[inputName(field), value]];
  });
}

/** A field's default as an expression; undefined where it has none. */
export function defaultValue(module: Module, field: Field): string | undefined {
  const start = field.default;
  if (!start || "formula" in start) return undefined;
  return "moment" in start
    ? `${module.use(start.moment, "../../kit/time.ts")}()`
    : typeof start.value === "string"
      ? quote(start.value)
      : String(start.value);
}
