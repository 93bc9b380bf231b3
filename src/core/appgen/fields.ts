import type { Calculation } from "../../../kit/formula/calculation.ts";
import { valueTypeOf } from "../../../kit/formula/calculation.ts";
import type { ValueType } from "../../../kit/formula/value-type.ts";
import type { Kind } from "../fields/field-type.ts";
import { type Field, isComputed, isMany, isReference, type Model } from "../model/model.ts";
import { linkOf } from "../schema/from-model.ts";
import { defaultName, formulaName, hasHiddenDefault } from "./formulas.ts";
import { labelCode } from "./labels.ts";
import { type Module, object, quote } from "./module.ts";
import { choicesName, type Subject, targetOf } from "./subject.ts";

/** The code of the fields of one type: what declares one, and what it is typed into. */
interface FieldCode {
  builder: string;
  /** Undefined where nobody types it. */
  control?: string;
}

const builders = "../../kit/fields/builders.ts";

const codes: Readonly<Record<Exclude<Kind, "formula">, FieldCode>> = {
  text: { builder: "text", control: "TextField" },
  "long text": { builder: "longText", control: "LongTextField" },
  integer: { builder: "integer", control: "NumberField" },
  decimal: { builder: "decimal", control: "NumberField" },
  money: { builder: "money", control: "NumberField" },
  percent: { builder: "percent", control: "NumberField" },
  boolean: { builder: "boolean", control: "CheckboxField" },
  date: { builder: "date", control: "DateField" },
  time: { builder: "time", control: "TimeField" },
  datetime: { builder: "datetime", control: "DateTimeField" },
  duration: { builder: "duration", control: "DurationField" },
  email: { builder: "email", control: "EmailField" },
  url: { builder: "url", control: "UrlField" },
  phone: { builder: "phone", control: "PhoneField" },
  color: { builder: "color", control: "ColorField" },
  place: { builder: "place", control: "PlaceField" },
  choice: { builder: "choice", control: "ChoiceField" },
  one: { builder: "reference", control: "LookupField" },
  "part of": { builder: "reference", control: "LookupField" },
  many: { builder: "references", control: "LookupsField" },
  image: { builder: "image", control: "FilesField" },
  file: { builder: "file", control: "FilesField" },
  tags: { builder: "tags", control: "TagsField" },
  user: { builder: "reference", control: "LookupField" },
};

/** The builder of a computed field, by the type of its value. */
const computedBuilders: Readonly<Record<ValueType, string>> = {
  number: "decimal",
  span: "span",
  text: "text",
  date: "date",
  time: "time",
  moment: "datetime",
  duration: "duration",
  boolean: "boolean",
};

/** The component that a field is typed into. */
export function controlOf({ type }: Field): string {
  const control = type.kind === "formula" ? undefined : codes[type.kind].control;
  if (!control) throw new Error(`nothing is typed into a ${type.kind}`);
  return control;
}

/** A field of an entity as code: `optional(date({ label: "Installed", max: "today" }))`. */
export function fieldCode(module: Module, model: Model, subject: Subject, field: Field): string {
  const { type } = field;
  if (isComputed(field)) return computedCode(module, subject, field);
  const code = type.kind === "formula" ? undefined : codes[type.kind];
  if (!code) throw new Error(`an application can't be built with a ${type.kind}`);
  const options = object([
    ["label", labelCode(field)],
    ...(field.unit
      ? [["unit", labelCode({ label: field.unit, labels: field.translations?.unit })] as const]
      : []),
    ...optionsOf(model, subject, field),
    ...startOf(field),
  ]);
  const declared = `${module.use(code.builder, builders)}(${options})`;
  const needed = field.required || type.kind === "many" || type.kind === "boolean";
  const whole = needed ? declared : `${module.use("optional", builders)}(${declared})`;
  if (subject.inForm.includes(field)) return whole;
  const made = hasHiddenDefault(model, subject, field)
    ? `, ${module.use(defaultName(subject, field), `./${subject.file}.queries.ts`)}`
    : "";
  return `${module.use("unasked", builders)}(${whole}${made})`;
}

function computedCode(module: Module, subject: Subject, field: Field): string {
  const calculation = subject.computed.get(field);
  if (!calculation) throw new Error(`${field.name} isn't computed`);
  const isMoney = calculation.measure === "money" && !field.unit;
  const builder = isMoney ? "money" : computedBuilders[valueTypeOf(calculation)];
  const options = object([
    ["label", labelCode(field)],
    ...(field.unit && builder !== "span"
      ? [["unit", labelCode({ label: field.unit, labels: field.translations?.unit })] as const]
      : []),
  ]);
  const formula = module.use(formulaName(subject, field), `./${subject.file}.queries.ts`);
  return `${module.use("computed", builders)}(${module.use(builder, builders)}(${options}), ${formula}, ${quote(writtenFormula(field, calculation))})`;
}

/** The formula of a computed field as it is written, rounded as the field says. */
function writtenFormula({ type }: Field, calculation: Calculation): string {
  const { formula, rounded } = type as { formula: string; rounded?: number };
  const text = formula.replace(/^=\s*/, "");
  const rounds = rounded !== undefined && rounded <= 6 && valueTypeOf(calculation) === "number";
  return rounds ? `round(${text}, ${rounded})` : text;
}

/** What limits the values of a field. */
function optionsOf(model: Model, subject: Subject, field: Field): [string, string][] {
  const { type } = field;
  if (type.kind === "choice") {
    const painted = Object.entries(field.colors ?? {});
    return [
      ["choices", choicesName(subject, field)],
      ...(painted.length > 0
        ? [
            ["colors", object(painted.map(([value, color]) => [value, quote(color)]))] as [
              string,
              string,
            ],
          ]
        : []),
    ];
  }
  if (isReference(field)) {
    return [
      ["to", quote(targetOf(model, field).table)],
      ...(type.kind === "part of" ? [["part", "true"] as [string, string]] : []),
      ...(field.unique ? [["single", "true"] as [string, string]] : []),
      ...(type.kind === "one" && type.signsIn ? [["signsIn", "true"] as [string, string]] : []),
    ];
  }
  if (isMany(field)) {
    const { table, from, to } = linkOf(subject.entity, field);
    const through = object([
      ["table", quote(table)],
      ["from", quote(from)],
      ["to", quote(to)],
    ]);
    return [
      ["to", quote(targetOf(model, field).table)],
      ["through", through],
      ...(field.required ? [["required", "true"] as [string, string]] : []),
    ];
  }
  return [
    ...("size" in type ? [["size", number(type.size)] as [string, string]] : []),
    ...("min" in type && type.min !== undefined
      ? [["min", JSON.stringify(type.min)] as [string, string]]
      : []),
    ...("max" in type && type.max !== undefined
      ? [["max", JSON.stringify(type.max)] as [string, string]]
      : []),
    ...("places" in type && type.places !== 2
      ? [["places", String(type.places)] as [string, string]]
      : []),
  ];
}

/** A number as people write one in code. */
function number(value: number): string {
  return String(value).replace(/\B(?=(\d{3})+$)/g, "_");
}

/** What a new record has in a field where nothing else is given. */
function startOf({ default: start }: Field): [string, string][] {
  if (!start || "formula" in start) return [];
  if ("me" in start) return [["start", quote("me")]];
  if ("moment" in start) return [["start", quote(start.moment)]];
  const value = typeof start.value === "string" ? quote(start.value) : String(start.value);
  return [["start", value]];
}
