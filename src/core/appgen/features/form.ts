import { type Field, isComputed, isMany, type Model } from "../../model/model.ts";
import { withArticle } from "../../naming/words.ts";
import { controlOf } from "../fields.ts";
import { labelCode, textAttribute } from "../labels.ts";
import { Module, object } from "../module.ts";
import { inputName, type Referrer, type Subject, subjectOf } from "../subject.ts";
import type { FeatureCode } from "./feature.ts";

const frame = "../../kit/ui/form-page.tsx";
const scope = "form.scope";
const controls = "../../kit/fields/controls.tsx";

/** What people read of a field besides its label. */
const remarkOptions = ["placeholder", "hint"] as const;

/** `hive.form.tsx`: the form of an entity, with the rows of its parts. */
export const formCode: FeatureCode = {
  file: { end: "form.tsx", text: formModule },
  made: (module, subject) => {
    const { camel, pascal, file } = subject;
    const from = `./${file}.form.tsx`;
    const parts = partsInRows(subject).length > 0 ? `, ${module.use(`${camel}Parts`, from)}` : "";
    return `${module.use("form", "../../kit/features/form/form.tsx")}(${module.use(`${camel}Entity`, `./${file}.ts`)}, ${module.use(`${pascal}FormPage`, from)}${parts})`;
  },
};

function formModule(model: Model, subject: Subject): string {
  const { entity, pascal, camel, one } = subject;
  const module = new Module();
  const parts = partsInRows(subject);
  if (parts.length > 0) {
    module.add(
      `export const ${camel}Parts = ${object(parts.map((part) => partCode(module, model, part)))};`,
      `The records that are typed in rows of the form of ${withArticle(one)}, and their fields there.`,
    );
  }
  const sections = entity.sections.map(({ title, titles, fields }) => {
    const lines = fields.flatMap((name) => {
      const field = entity.fields.find((candidate) => candidate.name === name);
      if (!field || isComputed(field)) return [];
      const remarks = remarkOptions.map((option) => {
        const text = field[option];
        return text ? textAttribute(option, text, field.translations?.[option], scope) : "";
      });
      const as = field.as && field.type.kind !== "part of" ? ` as="${field.as}"` : "";
      return `<${module.use(controlOf(field), controls)} form={form} name="${inputName(field)}"${as}${remarks.join("")} />`;
    });
    return `<${module.use("FormSection", frame)}${title ? textAttribute("title", title, titles, scope) : ""}>${lines.join("\n")}</FormSection>`;
  });
  const rows = parts.map(
    ({ property }) =>
      `<${module.use("FormRows", "../../kit/ui/part-rows.tsx")} form={form} part="${property}" />`,
  );
  module.add(`export function ${pascal}FormPage({ form }: ${module.type("FormProps", "../../kit/ui/form.ts")}) {
  return (
    <${module.use("FormFrame", frame)} form={form}>
      ${[...sections, ...rows].join("\n      ")}
    </FormFrame>
  );
}`);
  return module.print();
}

/** The parts of an entity that are typed in rows of its form. */
function partsInRows({ entity, referrers }: Subject): Referrer[] {
  return referrers.filter(
    (part) =>
      part.field.type.kind === "part of" &&
      part.field.as !== "list" &&
      part.entity !== entity &&
      rowFields(part).length > 0,
  );
}

/** The most fields that stand in a row, unless more have to be filled in. */
const mostInRow = 6;

/** The fields of parts that are typed in rows: those that are needed, and those that lists show. */
function rowFields({ entity, field: parent }: Referrer): Field[] {
  const fits = entity.fields.filter(
    (field) =>
      field !== parent &&
      !isComputed(field) &&
      !isMany(field) &&
      !["image", "file"].includes(field.type.kind),
  );
  const isNeeded = ({ required, requiredWhen, type }: Field) =>
    type.kind !== "boolean" && (required || requiredWhen !== undefined);
  const needed = fits.filter(isNeeded);
  const listed = fits.filter((field) => entity.columns.includes(field.name) && !isNeeded(field));
  const all = new Set([...needed, ...listed.slice(0, Math.max(0, mostInRow - needed.length))]);
  return fits.filter((field) => all.has(field));
}

function partCode(module: Module, model: Model, part: Referrer): [string, string] {
  const { camel, file } = subjectOf(model, part.entity);
  const entity = module.use(`${camel}Entity`, `../${file}/${file}.ts`);
  const fields = rowFields(part);
  const names = fields.map((field) => `"${inputName(field)}"`);
  const remarks = fields.flatMap((field): [string, string][] => {
    const code = remarkCode(field);
    return code.length > 0 ? [[inputName(field), object(code)]] : [];
  });
  const more = remarks.length > 0 ? `, ${object(remarks)}` : "";
  const rows = module.use("partRows", "../../kit/entity/part-rows.ts");
  return [
    part.property,
    `${rows}(${entity}, "${inputName(part.field)}", [${names.join(", ")}]${more})`,
  ];
}

/** What people read of a field that they fill in. */
function remarkCode(field: Field): [string, string][] {
  return remarkOptions.flatMap((option): [string, string][] => {
    const label = field[option];
    const labels = field.translations?.[option];
    return label ? [[option, labelCode({ label, labels })]] : [];
  });
}
